"""Commands that make the objects of a database anew, by the server's own functions that print definitions (documentation, "System
Information Functions"). Each query gives ``what`` is made and the ``sql`` that makes it; they stand in the order in which they can be run.

Tables are made alone, partitions attached when all have their indexes, so that every index keeps its name.
"""

from __future__ import annotations

_USERS = "n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg_toast%' AND n.nspname NOT LIKE 'pg_temp%'"


def _of_extension(catalog: str, column: str) -> str:
    return f"EXISTS (SELECT 1 FROM pg_depend x WHERE x.classid = '{catalog}'::regclass AND x.objid = {column} AND x.deptype = 'e')"


_COLUMNS = """
(SELECT string_agg(format('%I %s%s%s', a.attname, format_type(a.atttypid, a.atttypmod),
          CASE WHEN o.oid IS NOT NULL AND a.attcollation <> t.typcollation THEN format(' COLLATE %I.%I', p.nspname, o.collname) ELSE '' END,
          CASE WHEN a.attnotnull THEN ' NOT NULL' ELSE '' END), ', ' ORDER BY a.attnum)
 FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid LEFT JOIN pg_collation o ON o.oid = a.attcollation LEFT JOIN pg_namespace p ON p.oid = o.collnamespace
 WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped)
"""
_NAME = "format('%I.%I', n.nspname, c.relname)"
_TABLES = f"pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE {_USERS}"

EXTENSIONS = """
SELECT e.extname AS name, n.nspname AS schema FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace
WHERE e.extname NOT IN ('plpgsql', 'pg_stat_statements') ORDER BY 1
"""
DEFINITIONS = (
    f"SELECT 'schema ' || n.nspname AS what, format('CREATE SCHEMA IF NOT EXISTS %I', n.nspname) AS sql FROM pg_namespace n WHERE {_USERS} ORDER BY 1",
    f"""
    SELECT 'type ' || t.typname AS what,
           format('CREATE TYPE %I.%I AS ENUM (%s)', n.nspname, t.typname,
                  (SELECT string_agg(quote_literal(e.enumlabel), ', ' ORDER BY e.enumsortorder) FROM pg_enum e WHERE e.enumtypid = t.oid)) AS sql
    FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE t.typtype = 'e' AND {_USERS} AND NOT {_of_extension("pg_type", "t.oid")} ORDER BY t.oid
    """,
    f"""
    SELECT 'type ' || c.relname AS what, format('CREATE TYPE %I.%I AS (%s)', n.nspname, c.relname,
           (SELECT string_agg(format('%I %s', a.attname, format_type(a.atttypid, a.atttypmod)), ', ' ORDER BY a.attnum)
            FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped)) AS sql
    FROM {_TABLES} AND c.relkind = 'c' AND NOT {_of_extension("pg_class", "c.oid")} ORDER BY c.oid
    """,
    f"""
    SELECT 'domain ' || t.typname AS what,
           format('CREATE DOMAIN %I.%I AS %s %s', n.nspname, t.typname, format_type(t.typbasetype, t.typtypmod),
                  (SELECT string_agg(pg_get_constraintdef(o.oid), ' ') FROM pg_constraint o WHERE o.contypid = t.oid)) AS sql
    FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE t.typtype = 'd' AND {_USERS} AND NOT {_of_extension("pg_type", "t.oid")} ORDER BY t.oid
    """,
    f"""
    SELECT 'function ' || p.proname AS what, pg_get_functiondef(p.oid) AS sql
    FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace JOIN pg_language l ON l.oid = p.prolang
    WHERE {_USERS} AND p.prokind IN ('f', 'p', 'w') AND l.lanname IN ('sql', 'plpgsql') AND NOT {_of_extension("pg_proc", "p.oid")} ORDER BY p.oid
    """,
    f"""
    SELECT 'table ' || {_NAME} AS what,
           format('CREATE TABLE %s (%s)%s%s%s', {_NAME}, {_COLUMNS},
                  (SELECT ' INHERITS (' || string_agg(h.inhparent::regclass::text, ', ' ORDER BY h.inhseqno) || ')' FROM pg_inherits h JOIN pg_class q ON q.oid = h.inhparent
                   WHERE h.inhrelid = c.oid AND NOT c.relispartition),
                  CASE WHEN c.relkind = 'p' THEN ' PARTITION BY ' || pg_get_partkeydef(c.oid) ELSE '' END,
                  CASE WHEN c.reloptions IS NOT NULL AND c.relkind <> 'p' THEN ' WITH (' || array_to_string(c.reloptions, ', ') || ')' ELSE '' END) AS sql
    FROM {_TABLES} AND c.relkind IN ('r', 'p', 'm') AND NOT {_of_extension("pg_class", "c.oid")} ORDER BY c.relkind = 'm', c.oid
    """,
    f"""
    SELECT 'constraint ' || o.conname AS what, format('ALTER TABLE ONLY %s ADD CONSTRAINT %I %s', {_NAME}, o.conname, pg_get_constraintdef(o.oid)) AS sql
    FROM pg_constraint o JOIN pg_class c ON c.oid = o.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE {_USERS} AND (o.contype IN ('p', 'u', 'x') OR o.contype = 'c' AND (o.coninhcount = 0 OR c.relispartition)) AND NOT {_of_extension("pg_class", "c.oid")}
    ORDER BY o.contype <> 'c', c.relispartition DESC, o.oid
    """,
    f"""
    SELECT 'index ' || d.relname AS what, pg_get_indexdef(i.indexrelid) AS sql
    FROM pg_index i JOIN pg_class d ON d.oid = i.indexrelid JOIN pg_class c ON c.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE {_USERS} AND NOT EXISTS (SELECT 1 FROM pg_constraint o WHERE o.conindid = i.indexrelid AND o.contype IN ('p', 'u', 'x'))
      AND NOT {_of_extension("pg_class", "c.oid")} ORDER BY d.relkind, d.oid
    """,
    # what lies deeper in a tree of partitions is attached first
    f"""
    SELECT 'partition ' || {_NAME} AS what,
           format('ALTER TABLE %s ATTACH PARTITION %s %s', h.inhparent::regclass, {_NAME}, pg_get_expr(c.relpartbound, c.oid)) AS sql
    FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_inherits h ON h.inhrelid = c.oid
    WHERE {_USERS} AND c.relispartition AND c.relkind IN ('r', 'p')
    ORDER BY (SELECT count(*) FROM pg_partition_ancestors(c.oid)) DESC, pg_get_expr(c.relpartbound, c.oid) = 'DEFAULT', c.oid
    """,
    f"""
    SELECT 'constraint ' || o.conname AS what, format('ALTER TABLE %s ADD CONSTRAINT %I %s', {_NAME}, o.conname, pg_get_constraintdef(o.oid)) AS sql
    FROM pg_constraint o JOIN pg_class c ON c.oid = o.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE {_USERS} AND o.contype = 'f' AND o.conparentid = 0 ORDER BY o.oid
    """,
    f"""
    SELECT 'view ' || {_NAME} AS what, format('CREATE VIEW %s AS %s', {_NAME}, pg_get_viewdef(c.oid)) AS sql
    FROM {_TABLES} AND c.relkind = 'v' AND NOT {_of_extension("pg_class", "c.oid")} ORDER BY c.oid
    """,
    f"""
    SELECT 'statistics ' || e.stxname AS what, pg_get_statisticsobjdef(e.oid) AS sql
    FROM pg_statistic_ext e JOIN pg_namespace n ON n.oid = e.stxnamespace WHERE {_USERS} ORDER BY e.oid
    """,
)  # fmt: skip

NOT_COPIED = (
    f"SELECT 'foreign table ' || {_NAME} AS what FROM {_TABLES} AND c.relkind = 'f'",
    f"SELECT 'row security of ' || {_NAME} AS what FROM {_TABLES} AND c.relrowsecurity",
    f"SELECT 'range type ' || t.typname AS what FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE t.typtype = 'r' AND {_USERS} AND NOT {_of_extension('pg_type', 't.oid')}",
    f"""SELECT l.lanname || ' function ' || p.proname AS what FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace JOIN pg_language l ON l.oid = p.prolang
        WHERE {_USERS} AND (l.lanname NOT IN ('sql', 'plpgsql') OR p.prokind = 'a') AND NOT {_of_extension("pg_proc", "p.oid")}""",
    "SELECT 'settings of role or database ' || coalesce(r.rolname, d.datname) AS what FROM pg_db_role_setting s LEFT JOIN pg_roles r ON r.oid = s.setrole LEFT JOIN pg_database d ON d.oid = s.setdatabase",
)  # fmt: skip
