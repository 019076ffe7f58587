"""Tables with what is true of their rows; what the planner believes of them is gathered by statistics."""

from __future__ import annotations

from pydantic import Field, model_validator

from practice_fleet.scenario.units import PAGE_BYTES, Part

ROW_OVERHEAD_BYTES = 28
PAGE_FILL = 0.96


class ColumnSpec(Part):
    """One column. Values are whole numbers from ``low`` on, or the texts of ``common`` first."""

    type: str = Field("bigint", description="SQL type")
    width: float = Field(8, gt=0, description="bytes of one value on average")
    distinct: float = Field(gt=0, description="number of different values")
    null_share: float = Field(0, ge=0, le=1, description="share of rows without a value")
    low: float = Field(1, description="lowest value of the even part")
    high: float | None = Field(None, description="highest value of the even part; default: low + distinct − 1")
    common: dict[str, float] = Field(
        default_factory=dict, description="values that are more frequent, with their share of all rows"
    )
    correlation: float = Field(
        0, ge=-1, le=1, description="how far rows lie on their pages in the order of this column"
    )

    @property
    def top(self) -> float:
        return self.low + self.distinct - 1 if self.high is None else self.high

    @model_validator(mode="after")
    def _shares_fit(self) -> ColumnSpec:
        total = sum(self.common.values()) + self.null_share
        if total > 1 + 1e-9 or any(share <= 0 for share in self.common.values()):
            raise ValueError(f"common and null_share take {total:.3f} of the rows; together at most 1, each above 0")
        if self.top < self.low:
            raise ValueError(f"high is {self.high:g}, below low, which is {self.low:g}")
        return self


class IndexDef(Part):
    """A sorted index."""

    name: str
    columns: list[str] = Field(min_length=1)
    unique: bool = False


class TableSpec(Part):
    """A table as it is when the fleet first starts."""

    rows: float = Field(gt=0, description="number of rows")
    skew: float = Field(0.8, ge=0, le=1.5, description="Zipf exponent of how unevenly its pages are asked for")
    columns: dict[str, ColumnSpec] = Field(min_length=1)
    indexes: list[IndexDef] = Field(default_factory=list)
    bloat: float = Field(1.0, ge=1, description="pages it has ÷ pages its rows need")

    @property
    def row_bytes(self) -> float:
        return ROW_OVERHEAD_BYTES + sum(column.width for column in self.columns.values())

    @property
    def pages(self) -> float:
        return max(1.0, self.rows * self.row_bytes / (PAGE_BYTES * PAGE_FILL) * self.bloat)

    @model_validator(mode="after")
    def _indexes_fit(self) -> TableSpec:
        for index in self.indexes:
            if unknown := set(index.columns) - set(self.columns):
                raise ValueError(
                    f"index {index.name} is over unknown columns {sorted(unknown)}; there are {', '.join(self.columns)}"
                )
        return self
