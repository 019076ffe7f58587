"""What a server does: counters, sessions, executions."""

from __future__ import annotations

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, MOST_ROWS, Message


class ConnectionGroup(Message):
    """Sessions that are open, of one state, service, user and client; ``client`` is the address they come from."""

    state: str = Field(max_length=40, description="active, idle, idle in transaction, or the engine's own word")
    service: str
    user: str
    client: str
    count: int = Field(ge=0)


class Counters(Message):
    """Cumulative figures of the whole server; names are the neutral ones of docs/probe-protocol.md."""

    at_us: int
    started_at_us: int
    values: dict[str, float] = Field(max_length=MOST_NAMES)
    levels: dict[str, float] = Field(
        max_length=MOST_NAMES, default_factory=dict, description="figures that are read, not counted"
    )
    connections: list[ConnectionGroup] = Field(
        max_length=1000,
        default_factory=list,
        description="all open sessions by what they are, the largest groups first",
    )


class StatementCounter(Message):
    """Cumulative figures of one statement text as the engine groups it; None is "not reported".

    ``squares_s2`` is the sum of the squares of its calls' times, from which their spread over any interval follows;
    ``least_s`` and ``greatest_s`` are of all calls since they are counted, ``nested_calls`` those made inside another call.
    """

    key: str
    text: str
    database: str
    user: str
    service: str
    plan_key: str | None = None
    calls: float
    errors: float | None = None
    time_s: float
    rows_returned: float
    rows_examined: float | None = None
    pages_requested: float | None = None
    pages_read: float | None = None
    log_bytes: float | None = None
    temporary_pages: float | None = Field(None, description="written because memory was not enough")
    planning_s: float | None = None
    bytes_sent: float | None = Field(None, description="of the rows returned, where an application tells what it uses")
    bytes_used: float | None = Field(None, description="of these, those that the application uses")
    squares_s2: float | None = None
    nested_calls: float | None = None
    least_s: float | None = None
    greatest_s: float | None = None
    wait_s: dict[str, float] = Field(max_length=MOST_NAMES, default_factory=dict, description="seconds by wait event")


class StatementCounters(Message):
    """Cumulative figures by statement; ``started_at_us`` changes when they begin anew."""

    at_us: int
    started_at_us: int
    statements: list[StatementCounter] = Field(max_length=MOST_ROWS)


class Session(Message):
    """One session that is working or waiting at the moment asked."""

    session: int
    user: str
    service: str
    database: str
    statement_key: str | None
    wait_event: str
    blocked_by: int | None = Field(None, description="the first that it waits for, as version 1 has it")
    blockers: list[int] = Field(max_length=1000, default_factory=list, description="all that it waits for")
    text: str | None = Field(None, description="where the counters may not know the statement yet")
    began_us: int | None = Field(None, description="when its call began, with the ability call_begin")
    route: str = Field("", description="what the service was doing, where its client says so")
    transaction_began_us: int | None = Field(
        None, description="when its transaction was opened, where that is reported"
    )
    client: str = Field("", description="the address it comes from, where that is reported")
    object: str = Field("", description="the table or index for whose rows or lock it waits, where the engine says so")
    stage: str = Field("", description="what a long call is doing, where the engine reports how far it is")
    done: float | None = Field(None, ge=0, description="share of that stage that is done, where it is reported")

    def waits_for(self) -> list[int]:
        """Numbers of the sessions it waits for."""
        return self.blockers or ([] if self.blocked_by is None else [self.blocked_by])


class Holder(Message):
    """One session that does nothing in a transaction that is open: what it holds, others wait for."""

    session: int
    user: str
    service: str
    database: str
    client: str = Field("", description="the address it comes from")
    statement_key: str | None = Field(None, description="of its last statement")
    text: str | None = Field(None, description="of its last statement")
    transaction_began_us: int
    idle_since_us: int


class Sessions(Message):
    """Sessions that work or wait at one moment, and those that do nothing in an open transaction."""

    at_us: int
    sessions: list[Session] = Field(max_length=MOST_ROWS)
    holders: list[Holder] = Field(max_length=MOST_ROWS, default_factory=list)


class ExecutionRecord(Message):
    """One finished execution that took at least the threshold asked for."""

    ended_at_us: int
    duration_s: float
    statement_key: str
    user: str
    service: str
    database: str
    rows_returned: float | None = None
    rows_examined: float | None = None
    pages_read: float | None = None
    text: str | None = Field(None, description="where the counters may not know it, or with its literals if asked for")
    plan_key: str | None = None
    route: str = Field("", description="what the service was doing, where its client says so")
    trace: str = Field("", description="number of the trace that it is part of, as 32 hexadecimal digits")


class Executions(Message):
    """Finished executions up to ``until_us``, from which the next are asked."""

    until_us: int
    executions: list[ExecutionRecord] = Field(max_length=MOST_ROWS)
