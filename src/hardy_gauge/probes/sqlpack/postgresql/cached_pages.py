"""What is cached, by table and index, through the extension pg_buffercache: one look."""

from __future__ import annotations

import polars as pl

from hardy_gauge.errors import ProbeError
from hardy_gauge.probes.sqlpack.connection import Line

SCHEMA = "SELECT quote_ident(n.nspname) AS name FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace WHERE e.extname = 'pg_buffercache'"
# other databases are one part; a table or index that holds nothing and was never asked for is none; sizes are told in pages of 8 KiB
LOOK = """
WITH page AS (SELECT current_setting('block_size')::float8 / 8192 AS size),
held AS (
  SELECT reldatabase IN (0, (SELECT oid FROM pg_database WHERE datname = current_database())) AS here, relfilenode AS node, count(*) * (SELECT size FROM page) AS held
  FROM {schema}.pg_buffercache GROUP BY 1, 2),
counted AS (
  SELECT relid AS oid, heap_blks_hit AS hits, heap_blks_read AS reads FROM pg_statio_all_tables
  UNION ALL SELECT indexrelid, idx_blks_hit, idx_blks_read FROM pg_statio_all_indexes),
ours AS (
  SELECT oid::text AS object, coalesce(held, 0) AS held, pg_relation_size(oid) / 8192.0 AS pages, hits, reads
  FROM counted LEFT JOIN held ON held.here AND held.node = pg_relation_filenode(oid)
  WHERE coalesce(held, 0) + coalesce(hits, 0) + coalesce(reads, 0) > 0)
SELECT object, held::float8, coalesce(pages, held)::float8 AS pages, coalesce(hits, 0)::float8 AS hits, coalesce(reads, 0)::float8 AS reads FROM ours
UNION ALL
SELECT 'other databases', (SELECT coalesce(sum(held), 0) FROM held WHERE NOT here), coalesce(sum(pg_database_size(datid)), 0)::float8 / 8192,
       coalesce(sum(blks_hit), 0)::float8, coalesce(sum(blks_read), 0)::float8
FROM pg_stat_database WHERE datname <> current_database()
UNION ALL
SELECT '', (SELECT coalesce(sum(held), 0) FROM held WHERE node IS NULL), 0, 0, 0
"""


def cached_pages(line: Line) -> pl.DataFrame:
    """``object`` (empty for free pages), ``held``, ``pages``, and ``hits`` and ``reads`` since its figures began."""
    found = line.rows(SCHEMA)
    if not found:
        raise ProbeError("the extension pg_buffercache is not created in this database")
    rows = line.rows(LOOK.format(schema=found[0]["name"]))
    return pl.DataFrame(
        rows, schema={"object": pl.String} | dict.fromkeys(("held", "pages", "hits", "reads"), pl.Float64)
    )
