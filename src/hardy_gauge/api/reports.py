"""Reports: saved documents of what was seen, found and tried on a server."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge import __version__
from hardy_gauge.api.data import CurrentData
from hardy_gauge.api.ledger import ledger
from hardy_gauge.api.problems import Problem, RowId
from hardy_gauge.api.servers import server_sheet
from hardy_gauge.api.window import CurrentWindow
from hardy_gauge.reports.render import render
from hardy_gauge.store.models import Report, Trial

router = APIRouter(tags=["reports"])


class ReportRequest(BaseModel):
    server: str


class ReportLine(BaseModel):
    id: int
    title: str
    created_us: int
    scope: str


@router.get("/reports")
def list_reports(data: CurrentData) -> list[ReportLine]:
    with data.store.read() as session:
        rows = session.execute(
            select(Report.id, Report.title, Report.created_us, Report.scope).order_by(Report.id.desc())
        )
        return [ReportLine(id=r.id, title=r.title, created_us=r.created_us, scope=r.scope) for r in rows]


@router.post("/reports", status_code=201)
def make(body: ReportRequest, request: Request, data: CurrentData, window: CurrentWindow) -> ReportLine:
    """A report of a server over the focus: the time, the statements, the findings, and all trials that ended."""
    sheet = server_sheet(body.server, data, window)
    entries = ledger(request, data, window, scope=body.server)
    with data.store.read() as session:
        trials = [
            t for t in session.scalars(select(Trial).where(Trial.state == "finished").order_by(Trial.id)) if t.result
        ]
    now = data.clock()
    title = f"{body.server}: what was seen, found and tried"
    html = render(
        "server.html",
        {
            "title": title, "sheet": sheet, "ledger": entries, "trials": trials, "made_us": now,
            "version": __version__, "focus": window.focus.iso(),
            "reference": window.reference.iso() if window.reference else "the same hours of earlier days",
        },
    )  # fmt: skip
    with data.store.write() as session:
        row = Report(title=title, created_us=now, scope=body.server, html=html)
        session.add(row)
        session.flush()
        return ReportLine(id=row.id, title=row.title, created_us=row.created_us, scope=row.scope)


@router.get("/reports/{report_id}/html", response_class=HTMLResponse)
def document(report_id: RowId, data: CurrentData, download: bool = False) -> HTMLResponse:
    with data.store.read() as session:
        row = session.get(Report, report_id)
    if row is None:
        raise Problem(404, "Unknown report", f"no report {report_id}", "id")
    headers = {"content-disposition": f'attachment; filename="report-{row.scope}-{row.id}.html"'} if download else {}
    return HTMLResponse(row.html, headers=headers)
