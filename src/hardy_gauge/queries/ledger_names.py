"""Keys and names of the ledger's dimensions: statements by fingerprint and kind, sessions by server, filters as they stand in rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from hardy_gauge.core.activity.ledger import Dimension
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.store.models import Server

NOT_KNOWN, NO_STATEMENT = "not known", "none"
ON = " on "  # between a session's number and its server, where there are several
UNNAMED = {"object": "no object named", "client": "client not reported"}


def read_for(dimensions: Sequence[str]) -> list[str]:
    """The columns of recorded rows that dimensions are taken from."""
    return list(dict.fromkeys("statement" if name == "kind" else name for name in dimensions))


class Names:
    """Of the statements that are known, and the servers of a scope."""

    def __init__(self, reader: Reader, servers: Sequence[Server]) -> None:
        known = texts_of(reader).values()
        self.ids = {one.fingerprint: one.id for one in known}
        self.texts = {one.fingerprint: one.text for one in known} | {NO_STATEMENT: "no statement known"}
        self.kinds = {one.id: one.kind for one in known}
        self.servers = {server.id: server.name for server in servers}
        self._table = pl.DataFrame(
            {"statement": list(self.ids.values()), "key": list(self.ids), "kind": list(self.kinds.values())},
            schema={"statement": pl.Int32, "key": pl.Categorical, "kind": pl.Categorical},
        )

    def condition(self, dimension: str, values: Sequence[str]) -> pl.Expr:
        """Whether a row has one of the values."""
        unknown = NOT_KNOWN in values or NO_STATEMENT in values
        if dimension == "statement":
            found = pl.col("statement").is_in([self.ids[key] for key in values if key in self.ids])
        elif dimension == "kind":
            found = pl.col("statement").is_in([number for number, kind in self.kinds.items() if kind in values])
        elif dimension == "session":
            found = pl.any_horizontal(self._session(value) for value in values)
        else:
            found = pl.col(dimension).is_in(list(values))
        missing = pl.col("statement" if dimension == "kind" else dimension).is_null()
        return found.fill_null(value=False) | (missing if unknown else pl.lit(value=False))

    def _session(self, value: str) -> pl.Expr:
        number, _, server = value.partition(ON)
        same = pl.col("session") == int(number) if number.isdigit() else pl.lit(value=False)
        owners = [server_id for server_id, name in self.servers.items() if name == server]
        return same & pl.col("server_id").is_in(owners) if server else same

    def left(
        self,
        frame: pl.DataFrame,
        filters: Mapping[Dimension, Sequence[str]],
        without: Mapping[Dimension, Sequence[str]],
    ) -> pl.DataFrame:
        """The rows that have one of the values of each filter, and none of the values without which the rest is asked for."""
        kept = [self.condition(name, values) for name, values in filters.items()]
        kept += [~self.condition(name, values) for name, values in without.items()]
        return frame.lazy().filter(*kept).collect(engine="streaming") if kept and len(frame) else frame

    def keyed(self, frame: pl.DataFrame, dimensions: Sequence[str]) -> pl.DataFrame:
        """Dimensions as columns of text keys, as codes where their texts are."""
        if {"statement", "kind"} & {*dimensions}:
            joined = frame.with_columns(pl.col("statement").cast(pl.Int32)).join(
                self._table, on="statement", how="left"
            )
            frame = joined.with_columns(_known("key", NO_STATEMENT).alias("statement"), _known("kind", NOT_KNOWN))
            frame = frame.drop("key")
        texts = [name for name in dimensions if name not in ("statement", "kind", "session")]
        frame = frame.with_columns(_known(name, NOT_KNOWN, frame.schema[name]) for name in texts)
        if "session" not in dimensions:
            return frame
        number = pl.col("session").cast(pl.String).fill_null(NOT_KNOWN)
        owner = pl.col("server_id").replace_strict(self.servers, default="", return_dtype=pl.String)
        named = number if len(self.servers) == 1 else number + ON + owner
        return frame.with_columns(named.alias("session"))

    def label(self, dimension: str, key: str) -> str:
        """What a key is called."""
        if dimension == "statement":
            return self.texts.get(key, key)
        if key == NOT_KNOWN:
            return UNNAMED.get(dimension, key)
        return f"session {key}" if dimension == "session" else key


def _known(name: str, otherwise: str, of: pl.DataType | type[pl.DataType] = pl.Categorical) -> pl.Expr:
    dtype = pl.Categorical if of == pl.Categorical else pl.String
    return pl.col(name).cast(dtype).fill_null(pl.lit(otherwise, dtype=dtype))
