"""Three made-up schemas of different shape and size with statements on them, for checks of planning against a real server.

A statement's ``{table.column}`` stands for a value drawn from that column.
"""

from __future__ import annotations

import random
import re
from collections.abc import Sequence
from dataclasses import dataclass

import psycopg
from psycopg import sql

DRAWN = re.compile(r"\{(\w+)\.(\w+)\}")


@dataclass(frozen=True)
class TestSchema:
    """``setup`` makes and fills it; ``indexes`` are those to be made up and then built."""

    __test__ = False
    name: str
    setup: str
    statements: Sequence[str]
    indexes: Sequence[str]


LENDING = TestSchema(
    "lending",
    """
    CREATE TYPE state AS ENUM ('shelf', 'loan', 'lost');
    CREATE TABLE title (id serial PRIMARY KEY, name text NOT NULL, year int, kind varchar(10), tags text[]);
    CREATE TABLE copy (id serial PRIMARY KEY, title_id int REFERENCES title, branch int, state state, bought date);
    CREATE TABLE loan (id bigserial PRIMARY KEY, copy_id int REFERENCES copy, patron int, due timestamptz, fee numeric(8,2), note text);
    CREATE INDEX loan_patron ON loan (patron); CREATE INDEX loan_copy ON loan (copy_id); CREATE INDEX copy_title ON copy (title_id);
    CREATE INDEX title_lower ON title (lower(name)); CREATE INDEX open_loan ON loan (due) WHERE fee IS NULL;
    CREATE VIEW open AS SELECT l.*, c.title_id FROM loan l JOIN copy c ON c.id = l.copy_id WHERE l.fee IS NULL;
    CREATE FUNCTION half(int) RETURNS int LANGUAGE sql IMMUTABLE AS 'SELECT $1 / 2';
    INSERT INTO title (name, year, kind, tags) SELECT 'title ' || i, 1900 + (random() * 120)::int, (ARRAY['book', 'film', 'map'])[1 + i % 3], ARRAY['t' || i % 7, 'u' || i % 13] FROM generate_series(1, 15000) i;
    INSERT INTO copy (title_id, branch, state, bought) SELECT 1 + (random() ^ 2 * 14998)::int, i % 25, (ARRAY['shelf', 'loan', 'lost']::state[])[1 + (random() ^ 3 * 2.9)::int], date '2010-01-01' + (random() * 5000)::int FROM generate_series(1, 50000) i;
    INSERT INTO loan (copy_id, patron, due, fee, note) SELECT 1 + (random() * 49998)::int, (random() ^ 3 * 5000)::int, timestamptz '2026-01-01' - random() * interval '900 days', CASE WHEN random() < 0.2 THEN (random() * 30)::numeric(8,2) END, repeat('x', (random() * 40)::int) FROM generate_series(1, 200000) i;
    """,
    [
        "SELECT * FROM loan WHERE patron = {loan.patron}",
        "SELECT * FROM loan WHERE patron = {loan.patron} ORDER BY due LIMIT 5",
        "SELECT count(*) FROM loan l JOIN copy c ON c.id = l.copy_id WHERE c.branch = {copy.branch}",
        "SELECT t.name, count(*) FROM loan l JOIN copy c ON c.id = l.copy_id JOIN title t ON t.id = c.title_id WHERE t.year = {title.year} GROUP BY 1 ORDER BY 2 DESC LIMIT 10",
        "SELECT * FROM title WHERE lower(name) = lower({title.name})",
        "SELECT * FROM loan WHERE fee IS NULL AND due < {loan.due}",
        "SELECT * FROM open WHERE title_id = {copy.title_id}",
        "SELECT * FROM copy WHERE branch = {copy.branch} AND state = {copy.state}",
        "SELECT max(due) FROM loan WHERE patron = {loan.patron}",
        "SELECT * FROM title WHERE tags @> ARRAY['t3', 'u4']",
        "SELECT * FROM loan WHERE note LIKE 'xxxxxxxxxxxxxxxxx%'",
        "SELECT * FROM copy WHERE bought BETWEEN {copy.bought} AND {copy.bought}",
        "SELECT * FROM copy WHERE id IN (SELECT copy_id FROM loan WHERE fee > {loan.fee})",
        "SELECT DISTINCT patron FROM loan WHERE due > {loan.due}",
        "SELECT * FROM title t WHERE NOT EXISTS (SELECT 1 FROM copy c WHERE c.title_id = t.id) AND year > {title.year}",
        "UPDATE loan SET fee = 0 WHERE patron = {loan.patron}",
        "DELETE FROM copy WHERE title_id = {copy.title_id}",
        "SELECT half(branch), count(*) FROM copy GROUP BY 1",
        "SELECT c.* FROM copy c JOIN title t ON t.id = c.title_id WHERE t.kind = {title.kind} AND c.state = {copy.state}",
    ],
    ["loan(patron, due)", "copy(branch)", "title(year)", "loan(copy_id, fee)", "copy(bought) WHERE state = 'loan'"],
)

VISITS = TestSchema(
    "visits",
    """
    CREATE SCHEMA facts;
    CREATE TABLE facts.branch (branch smallint PRIMARY KEY, region text, floor_area real);
    CREATE TABLE facts.day (day date PRIMARY KEY, weekday smallint, month smallint, holiday boolean);
    CREATE TABLE facts.visit (day date NOT NULL, branch smallint NOT NULL, hour smallint, persons int, gate text) PARTITION BY RANGE (day);
    CREATE TABLE facts.visit_24 PARTITION OF facts.visit FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
    CREATE TABLE facts.visit_25 PARTITION OF facts.visit FOR VALUES FROM ('2025-01-01') TO ('2026-01-01');
    CREATE TABLE facts.visit_rest PARTITION OF facts.visit DEFAULT;
    CREATE INDEX ON facts.visit (branch, day);
    ALTER TABLE facts.visit_24 ADD CHECK (hour >= 0);
    INSERT INTO facts.branch SELECT i, 'region ' || i % 5, 100 + i FROM generate_series(1, 60) i;
    INSERT INTO facts.day SELECT d, extract(dow FROM d), extract(month FROM d), random() < 0.04 FROM generate_series(date '2024-01-01', date '2026-03-31', '1 day') d;
    INSERT INTO facts.visit SELECT date '2024-01-01' + (random() * 820)::int, 1 + (random() ^ 2 * 59)::int, 8 + (random() * 12)::int, (random() ^ 4 * 200)::int, 'gate ' || (random() * 3)::int FROM generate_series(1, 300000);
    """,
    [
        "SELECT * FROM facts.visit WHERE day = {facts_visit.day}",
        "SELECT sum(persons) FROM facts.visit WHERE branch = {facts_visit.branch} AND day >= {facts_visit.day}",
        "SELECT b.region, d.month, sum(v.persons) FROM facts.visit v JOIN facts.branch b USING (branch) JOIN facts.day d USING (day) WHERE d.holiday GROUP BY 1, 2",
        "SELECT b.region, sum(persons) FROM facts.visit v JOIN facts.branch b USING (branch) WHERE v.day BETWEEN '2025-03-01' AND '2025-03-31' GROUP BY 1 ORDER BY 2 DESC",
        "SELECT hour, avg(persons) FROM facts.visit WHERE branch IN ({facts_visit.branch}, {facts_visit.branch}) GROUP BY hour",
        "SELECT * FROM facts.visit WHERE persons > {facts_visit.persons} AND gate = {facts_visit.gate}",
        "SELECT * FROM facts.visit ORDER BY day, branch LIMIT 100",
        "SELECT d.weekday, count(*) FROM facts.day d LEFT JOIN facts.visit v ON v.day = d.day AND v.branch = {facts_visit.branch} GROUP BY 1",
        "SELECT v.branch, rank() OVER (PARTITION BY hour ORDER BY sum(persons) DESC) FROM facts.visit v WHERE day > {facts_visit.day} GROUP BY v.branch, hour",
        "WITH busy AS (SELECT branch, sum(persons) s FROM facts.visit GROUP BY 1) SELECT b.* FROM facts.branch b JOIN busy USING (branch) WHERE s > 1000",
        "SELECT * FROM facts.branch WHERE floor_area > {facts_branch.floor_area}",
        "SELECT count(*) FROM facts.visit_25 WHERE hour = {facts_visit.hour}",
        "SELECT day FROM facts.visit WHERE branch = {facts_visit.branch} EXCEPT SELECT day FROM facts.day WHERE holiday",
        "UPDATE facts.visit SET persons = 0 WHERE day = {facts_visit.day} AND branch = {facts_visit.branch}",
        "SELECT count(*) FROM facts.visit a JOIN facts.visit b ON a.day = b.day AND a.branch = b.branch WHERE a.day = {facts_visit.day}",
        "SELECT * FROM facts.visit WHERE day = $1 AND branch = $2",
    ],
    ["facts.visit(day)", "facts.visit(gate, persons)", "facts.branch(region)"],
)

RECORDS = TestSchema(
    "records",
    """
    CREATE DOMAIN mark AS text CHECK (length(value) < 40);
    CREATE TABLE author (id int PRIMARY KEY, name text, born int);
    CREATE TABLE work (id int PRIMARY KEY, mark mark, made numeric, about jsonb, language char(3));
    CREATE TABLE wrote (author int REFERENCES author, work int REFERENCES work, part text, PRIMARY KEY (author, work));
    CREATE TABLE event (id bigserial PRIMARY KEY, at timestamp, what text);
    CREATE TABLE event_of_work (work int) INHERITS (event);
    CREATE INDEX work_mark ON work (mark text_pattern_ops); CREATE INDEX work_about ON work USING gin (about);
    CREATE INDEX event_at ON event USING brin (at); CREATE UNIQUE INDEX author_name ON author (name, born) INCLUDE (id);
    INSERT INTO author SELECT i, 'author ' || i % 700, 1800 + i % 190 FROM generate_series(1, 3000) i;
    INSERT INTO work SELECT i, 'QA' || (random() * 900)::int || '.' || i % 50, (random() * 1000)::numeric(10, 3), jsonb_build_object('pages', i % 600, 'subject', 's' || i % 40), (ARRAY['eng', 'fra', 'deu', 'swe'])[1 + (random() ^ 2 * 3)::int] FROM generate_series(1, 8000) i;
    INSERT INTO wrote SELECT 1 + (random() ^ 2 * 2998)::int, i, CASE WHEN i % 9 = 0 THEN 'edited' ELSE 'wrote' END FROM generate_series(1, 8000) i;
    INSERT INTO event (at, what) SELECT timestamp '2026-01-01' + i * interval '1 minute', 'what ' || i % 30 FROM generate_series(1, 60000) i;
    INSERT INTO event_of_work (at, what, work) SELECT timestamp '2026-01-01' + i * interval '10 minutes', 'moved', i % 8000 FROM generate_series(1, 6000) i;
    """,
    [
        "SELECT * FROM work WHERE mark LIKE 'QA12%'",
        'SELECT * FROM work WHERE about @> \'{"subject": "s7"}\'',
        "SELECT a.name, count(*) FROM author a JOIN wrote w ON w.author = a.id GROUP BY a.name HAVING count(*) > 3",
        "SELECT * FROM author WHERE name = {author.name}",
        "SELECT id FROM author WHERE name = {author.name} AND born > {author.born}",
        "SELECT w.* FROM work w JOIN wrote x ON x.work = w.id WHERE x.author = {wrote.author} ORDER BY w.made",
        "SELECT * FROM event WHERE at > {event.at}",
        "SELECT count(*) FROM ONLY event WHERE at BETWEEN '2026-01-20' AND '2026-01-21'",
        "SELECT * FROM event_of_work e JOIN work w ON w.id = e.work WHERE w.language = {work.language} AND e.at > {event.at}",
        "SELECT * FROM work WHERE language = {work.language} AND made < {work.made}",
        "SELECT * FROM wrote WHERE part = {wrote.part} AND author < {wrote.author}",
        "SELECT * FROM author a WHERE born = (SELECT max(born) FROM author b WHERE b.name = a.name)",
        "SELECT * FROM work WHERE about ->> 'subject' = 's9'",
        "SELECT w.id FROM work w WHERE w.id IN ({wrote.work}, {wrote.work}, {wrote.work}) OR w.made > 999",
        "SELECT language, avg(made) FROM work GROUP BY ROLLUP (language)",
        "SELECT a.*, l.* FROM author a CROSS JOIN LATERAL (SELECT * FROM wrote w WHERE w.author = a.id LIMIT 1) l WHERE a.born > {author.born}",
        "DELETE FROM wrote WHERE work = {wrote.work}",
    ],
    ["wrote(work)", "work(language, made)", "event(what)", "author(born)"],
)

SCHEMAS = (LENDING, VISITS, RECORDS)


def drawn(statement: str, connection: psycopg.Connection, chance: random.Random) -> str:
    """The statement with a value of a row in place of each placeholder; ``facts_visit.day`` is of table facts.visit."""

    def value(match: re.Match[str]) -> str:
        table = match[1].replace("facts_", "facts.")
        query = f"SELECT {match[2]} FROM {table} WHERE {match[2]} IS NOT NULL ORDER BY hashtext({match[2]}::text || '{chance.random()}') LIMIT 1"
        (found,) = connection.execute(query.encode()).fetchone() or (None,)
        return sql.Literal(found).as_string(connection)

    return DRAWN.sub(value, statement)
