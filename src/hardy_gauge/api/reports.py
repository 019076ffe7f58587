"""Reports: saved documents of what was seen, found and tried on a server."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse
from pydantic import BaseModel

from hardy_gauge.api.current import CurrentReader, CurrentWindow
from hardy_gauge.api.downloads import attachment
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.narrative.setup import reports_sentence
from hardy_gauge.queries.reports import ReportLine, report_lines, report_of, server_report

router = APIRouter(tags=["reports"])


class ReportRequest(BaseModel):
    server: str


class Reports(BaseModel):
    """The latest first."""

    sentence: str
    reports: list[ReportLine]


@router.get("/reports")
def list_reports(reader: CurrentReader) -> Reports:
    found = report_lines(reader)
    return Reports(sentence=reports_sentence(len(found)), reports=found)


@router.post("/reports", status_code=201)
def make(body: ReportRequest, reader: CurrentReader, window: CurrentWindow) -> ReportLine:
    """A report of a server over the focus: the time, the statements, the findings, and all trials that ended."""
    return server_report(reader, window, body.server)


@router.get("/reports/{report_id}/html", response_class=HTMLResponse)
def document(report_id: RowId, reader: CurrentReader, download: bool = False) -> HTMLResponse:
    row = report_of(reader, report_id)
    headers = attachment(f"report-{row.id}.html") if download else {}
    return HTMLResponse(row.html, headers=headers)
