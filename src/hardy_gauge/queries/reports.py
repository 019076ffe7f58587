"""Reports on file, and new ones from what was recorded."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from hardy_gauge import __version__
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.improvement import improvement_of
from hardy_gauge.queries.ledger import ledger
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.server_sheet import server_sheet
from hardy_gauge.reports.render import render
from hardy_gauge.store.models import Report
from hardy_gauge.store.trial_models import Trial


@dataclass(frozen=True)
class ReportLine:
    """A report in the list."""

    id: int
    title: str
    created_us: int
    scope: str


def _line(row: Report) -> ReportLine:
    return ReportLine(row.id, row.title, row.created_us, row.scope)


def report_lines(reader: Reader) -> list[ReportLine]:
    """The newest first."""
    with reader.store.read() as session:
        return [_line(row) for row in session.scalars(select(Report).order_by(Report.id.desc()))]


def report_of(reader: Reader, report_id: int) -> Report:
    """NotFound when there is no such report."""
    with reader.store.read() as session:
        row = session.get(Report, report_id)
    if row is None:
        raise NotFound(f"no report {report_id}", "id", "Unknown report")
    return row


def server_report(reader: Reader, window: Window, server: str) -> ReportLine:
    """Make and store a report of a server over the focus."""
    sheet = server_sheet(reader, window, server)
    entries = ledger(reader, window, server, LedgerQuestion())
    with reader.store.read() as session:
        ended = session.scalars(select(Trial).where(Trial.state == "finished").order_by(Trial.id))
        trials = [trial for trial in ended if trial.result]
    better = {one.id: improvement_of(reader, one.id).sentence for one in sheet.findings.findings}
    now, title = reader.clock(), f"{server}: what was seen, found and tried"
    html = render(
        "server.html",
        {
            "title": title, "sheet": sheet, "ledger": entries, "trials": trials, "made_us": now, "version": __version__,
            "focus": window.focus.iso(), "better": better,
        },
    )  # fmt: skip
    with reader.store.write() as session:
        row = Report(title=title, created_us=now, scope=server, html=html)
        session.add(row)
        session.flush()
        return _line(row)
