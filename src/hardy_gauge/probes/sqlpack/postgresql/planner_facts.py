"""Everything the planner of a PostgreSQL knows of a database: how its objects are made, their sizes and statistics, its settings.

Read from the catalogs alone: no table is opened, none is locked. What it gives is one JSON document, from which
``lab.twin`` makes an empty copy that plans as the server does.
"""

from __future__ import annotations

import time
from typing import Any

from hardy_gauge.probes.protocol import PlannerFacts
from hardy_gauge.probes.sqlpack.connection import MARK, Line
from hardy_gauge.probes.sqlpack.postgresql.object_definitions import DEFINITIONS, EXTENSIONS, NOT_COPIED
from hardy_gauge.probes.sqlpack.postgresql.replaced_values import replace_values

FORMAT = "hardy-gauge planner facts 1"
AT_ONCE = 200
OF_USERS = "n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg_toast%' AND n.nspname NOT LIKE 'pg_temp%'"

DATABASE = """
SELECT current_setting('server_version_num')::int AS version, current_setting('block_size')::int AS block_size, datname AS database,
       pg_encoding_to_char(encoding) AS encoding, datcollate AS collate, datctype AS ctype
FROM pg_database WHERE datname = current_database()
"""
# which settings are the planner's, as a condition on pg_settings
PLANNERS = """
(category LIKE 'Query Tuning%' OR name IN ('work_mem', 'hash_mem_multiplier', 'max_parallel_workers', 'max_parallel_workers_per_gather',
 'parallel_leader_participation', 'temp_buffers')) AND context <> 'internal'
"""
SETTINGS = f"SELECT name, current_setting(name) AS value FROM pg_settings WHERE {PLANNERS} ORDER BY name"
RELATIONS = f"""
SELECT c.oid::int8 AS id, format('%I.%I', n.nspname, c.relname) AS name, c.relkind::text AS kind, c.reltuples::float8 AS rows,
       c.relpages::int8 AS pages, c.relallvisible::int8 AS all_visible, m.amname AS method, i.indisvalid AS valid,
       CASE WHEN c.relkind IN ('r', 'i', 'm') THEN pg_relation_size(c.oid) / current_setting('block_size')::int END AS blocks
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace LEFT JOIN pg_am m ON m.oid = c.relam LEFT JOIN pg_index i ON i.indexrelid = c.oid
WHERE c.relkind IN ('r', 'p', 'm', 'i', 'I') AND {OF_USERS} ORDER BY c.oid
"""
KEYS = f"""
SELECT format('%I.%I', n.nspname, d.relname) AS index,
       ARRAY(SELECT CASE WHEN k.attnum > 0 THEN format('%I.%I', m.nspname, c.relname) ELSE format('%I.%I', n.nspname, d.relname) END || '.' || a.attname
             FROM unnest(i.indkey) WITH ORDINALITY AS k(attnum, place)
                  JOIN pg_attribute a ON a.attrelid = CASE WHEN k.attnum > 0 THEN c.oid ELSE d.oid END AND a.attnum = CASE WHEN k.attnum > 0 THEN k.attnum ELSE k.place END
             ORDER BY k.place) AS columns
FROM pg_index i JOIN pg_class d ON d.oid = i.indexrelid JOIN pg_namespace n ON n.oid = d.relnamespace JOIN pg_class c ON c.oid = i.indrelid
     JOIN pg_namespace m ON m.oid = c.relnamespace
WHERE {OF_USERS}
"""
STATISTICS = """
SELECT format('%%I.%%I', s.schemaname, s.tablename) AS relation, s.attname AS "column", s.inherited, s.null_frac, s.avg_width, s.n_distinct,
       s.most_common_vals::text AS common_values, s.most_common_freqs AS common_shares, s.histogram_bounds::text AS histogram, s.correlation,
       s.most_common_elems::text AS common_elements, s.most_common_elem_freqs AS element_shares, s.elem_count_histogram AS element_counts,
       a.attnum AS number, format_type(a.atttypid, NULL) AS type, t.typtype::text AS type_kind
FROM pg_stats s JOIN pg_namespace n ON n.nspname = s.schemaname JOIN pg_class c ON c.relnamespace = n.oid AND c.relname = s.tablename
     JOIN pg_attribute a ON a.attrelid = c.oid AND a.attname = s.attname JOIN pg_type t ON t.oid = a.atttypid
WHERE c.oid = ANY (%s::oid[])
"""
EXTENDED = f"""
SELECT format('%I.%I', n.nspname, e.stxname) AS name, s.n_distinct::bytea AS "distinct", s.dependencies::bytea AS dependencies,
       s.most_common_vals IS NOT NULL AS common
FROM pg_statistic_ext e JOIN pg_namespace n ON n.oid = e.stxnamespace
     LEFT JOIN pg_stats_ext s ON s.statistics_schemaname = n.nspname AND s.statistics_name = e.stxname
WHERE {OF_USERS}
"""


def read_planner_facts(line: Line, keep_values: bool) -> PlannerFacts:
    """All of it at one moment; values inside statistics only where ``keep_values``, otherwise in an order-keeping replacement."""
    left_out: list[str] = []
    with line.session() as connection:
        driver: Any = connection.connection.driver_connection
        driver.execute(MARK + "BEGIN TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
        try:
            driver.execute(MARK + "SET LOCAL search_path = pg_catalog")
            document = _document(driver, left_out)
        finally:
            driver.execute(MARK + "ROLLBACK")
    if not keep_values:
        left_out += replace_values(document["statistics"])
    return PlannerFacts(
        at_us=time.time_ns() // 1000, values="kept" if keep_values else "replaced", document=document, left_out=left_out
    )


def _document(driver: Any, left_out: list[str]) -> dict[str, Any]:
    (database,) = _rows(driver, DATABASE)
    relations = _rows(driver, RELATIONS)
    statistics: list[dict[str, Any]] = []
    ids = [one["id"] for one in relations]
    for at in range(0, len(ids), AT_ONCE):
        statistics += _rows(driver, STATISTICS, [ids[at : at + AT_ONCE]])
    readable = {one["relation"] for one in statistics}
    hidden = [
        one["name"] for one in relations if one["kind"] in "rm" and one["rows"] > 0 and one["name"] not in readable
    ]
    left_out += [f"statistics of {name}: there are none, or the account may not read the table" for name in hidden]
    extended = _rows(driver, EXTENDED)
    for one in extended:
        if one["distinct"] is None and one["dependencies"] is None and not one["common"]:
            left_out.append(f"statistics {one['name']} over several columns: only the owner of its table may read them")
        for name in ("distinct", "dependencies"):
            one[name] = bytes(one[name]).hex() if one[name] is not None else None
        if one.pop("common"):
            left_out.append(f"common combinations of values of {one['name']}: they cannot be put into another server")
    for sql in NOT_COPIED:
        left_out += [f"{row['what']}: it is not copied" for row in _rows(driver, sql)]
    definitions = [row for sql in DEFINITIONS for row in _rows(driver, sql)]
    return {
        "format": FORMAT, **database, "settings": {row["name"]: row["value"] for row in _rows(driver, SETTINGS)},
        "keys": {row["index"]: row["columns"] for row in _rows(driver, KEYS)}, "extensions": _rows(driver, EXTENSIONS), "definitions": definitions, "relations": relations, "statistics": statistics, "extended": extended,
    }  # fmt: skip


def _rows(driver: Any, sql: str, parameters: list[Any] | None = None) -> list[dict[str, Any]]:
    cursor = driver.execute(MARK + sql, parameters)
    names = [column.name for column in cursor.description]
    return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
