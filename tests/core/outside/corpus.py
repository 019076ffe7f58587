"""A corpus of statements for the fingerprint check: many texts a statement, made by varying what must not matter.

The library's statements are invented; the variations (literals, spacing, case, comments, list length,
parameters) are the ones that drivers and people produce.
"""

from __future__ import annotations

import itertools

TEMPLATES = [
    *(
        f"SELECT id, {column} FROM loan WHERE {key} = {{n}}"
        for column in ("due_on", "renewals", "lent_at")
        for key in ("id", "item_id", "patron_id")
    ),
    *(
        f"SELECT count(*) FROM {table} WHERE branch_id = {{n}} AND state = {{s}}"
        for table in ("item", "hold_request", "reservation")
    ),
    *(
        f"UPDATE {table} SET {column} = {{n}} WHERE id = {{n}}"
        for table, column in (
            ("loan", "renewals"),
            ("item", "branch_id"),
            ("fine", "amount"),
            ("patron", "home_branch_id"),
        )
    ),
    *(f"DELETE FROM {table} WHERE id = {{n}} AND note = {{s}}" for table in ("fine", "hold_request", "session")),
    *(f"INSERT INTO {table} (a, b, c) VALUES ({{n}}, {{s}}, {{n}})" for table in ("loan", "fine", "visit", "note")),
    *(
        f"SELECT id FROM {table} WHERE title_id IN ({{l}}) ORDER BY {order}"
        for table in ("item", "hold_request")
        for order in ("id", "id DESC", "placed_at")
    ),
    *(
        f"SELECT p.id, l.id FROM patron p {join} loan l ON l.patron_id = p.id WHERE p.card_number = {{s}}"
        for join in ("JOIN", "LEFT JOIN")
    ),
    "SELECT branch_id, count(*) FROM loan WHERE due_on < {s} GROUP BY branch_id",
    "SELECT branch_id, count(*) FROM loan WHERE due_on < {s} GROUP BY branch_id HAVING count(*) > {n}",
    "SELECT id FROM item WHERE shelf LIKE {s}",
    "SELECT id FROM item WHERE shelf NOT LIKE {s}",
    "SELECT id FROM loan WHERE returned_at IS NULL AND item_id = {n}",
    "SELECT id FROM loan WHERE returned_at IS NOT NULL AND item_id = {n}",
    "SELECT id FROM loan WHERE due_on BETWEEN {s} AND {s}",
    "SELECT id FROM loan WHERE item_id = {n} OR patron_id = {n}",
    "SELECT id FROM loan WHERE item_id = {n} AND patron_id = {n}",
    "SELECT id FROM loan WHERE NOT (item_id = {n})",
    "SELECT max(lent_at) FROM loan WHERE patron_id = {n}",
    "SELECT min(lent_at) FROM loan WHERE patron_id = {n}",
    "SELECT DISTINCT patron_id FROM loan WHERE branch_id = {n}",
    "SELECT patron_id FROM loan WHERE branch_id = {n}",
    "SELECT id FROM loan WHERE item_id = (SELECT id FROM item WHERE barcode = {s})",
    "SELECT id FROM loan WHERE EXISTS (SELECT 1 FROM item WHERE barcode = {s})",
    "WITH late AS (SELECT id FROM loan WHERE due_on < {s}) SELECT count(*) FROM late",
    "SELECT id FROM loan WHERE item_id = {n} UNION SELECT id FROM hold_request WHERE title_id = {n}",
    "SELECT id FROM loan WHERE item_id = {n} UNION ALL SELECT id FROM hold_request WHERE title_id = {n}",
    "SELECT CASE WHEN renewals > {n} THEN {s} ELSE {s} END FROM loan",
    "SELECT coalesce(note, {s}) FROM hold_request WHERE id = {n}",
    "SELECT upper(shelf) FROM item WHERE id = {n}",
    "SELECT lower(shelf) FROM item WHERE id = {n}",
    "SELECT id FROM loan WHERE item_id = {n} FOR UPDATE",
    "SELECT id, row_number() OVER (PARTITION BY branch_id ORDER BY lent_at) FROM loan WHERE item_id = {n}",
    "UPDATE branch_day SET lent = lent + {n} WHERE branch_id = {n} AND day = {s}",
    "UPDATE branch_day SET lent = lent - {n} WHERE branch_id = {n} AND day = {s}",
    "SELECT amount * {n} FROM fine WHERE id = {n}",
    "SELECT amount + {n} FROM fine WHERE id = {n}",
    "SELECT id FROM fine WHERE amount >= {n}",
    "SELECT id FROM fine WHERE amount > {n}",
    "SELECT id FROM fine WHERE amount <> {n}",
    "SELECT cast({s} AS date), id FROM loan WHERE id = {n}",
    "SELECT id FROM fine WHERE settled = {b} AND patron_id = {n}",
    "INSERT INTO visit (a) SELECT id FROM patron WHERE id = {n}",
    "DELETE FROM session WHERE seen_at < {s}",
    "DELETE FROM session",
]


def texts_of(template: str) -> list[str]:
    """Six texts of one statement."""
    numbers = itertools.cycle(["1", "4711", "-3", "2.5"])
    strings = itertools.cycle(["'a'", "'it''s late'", "''", "'2026-11-02'"])
    flags = itertools.cycle(["TRUE", "FALSE"])
    lists = itertools.cycle(["1, 2", "7", "3, 4, 5, 6, 8", "9,10,11"])

    def fill(text: str) -> str:
        for mark, values in (("{n}", numbers), ("{s}", strings), ("{l}", lists), ("{b}", flags)):
            while mark in text:
                text = text.replace(mark, next(values), 1)
        return text

    return [
        fill(template),
        fill(template) + ";",
        fill(template.replace(" FROM ", "\n  FROM ").replace(" WHERE ", "\n WHERE ")),
        "/* desk 7 */ " + fill(template),
        fill(template.replace("SELECT", "select").replace("FROM", "from").replace("WHERE", "Where")),
        fill(template) + "  -- asked by the desk",
    ]


CORPUS = [(number, text) for number, template in enumerate(TEMPLATES) for text in texts_of(template)]
