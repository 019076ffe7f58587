"""A service as its owners would instrument it: the OpenTelemetry SDK, its HTTP exporter and its instrumentation of two drivers.

Where it sends, with what token and how compressed, is said by the SDK's own environment variables.
"""

from __future__ import annotations

import sqlite3
import sys

import psycopg
from opentelemetry import trace
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.instrumentation.psycopg import PsycopgInstrumentor
from opentelemetry.instrumentation.sqlite3 import SQLite3Instrumentor
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor


def main(dsn: str, file: str, calls: int) -> None:
    provider = TracerProvider()
    provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter()))
    trace.set_tracer_provider(provider)
    PsycopgInstrumentor().instrument(enable_commenter=True)
    SQLite3Instrumentor().instrument()
    tracer = trace.get_tracer("desk")
    with psycopg.connect(dsn, autocommit=True) as server:
        for number in range(calls):
            with tracer.start_as_current_span("GET /loans"), server.cursor() as cursor:
                cursor.execute("SELECT note FROM loan WHERE id = %s", (number + 1,))
                cursor.fetchall()
                if number % 5 == 0:
                    cursor.execute("UPDATE loan SET note = 'seen' WHERE id = %s", (number + 1,))
    local = sqlite3.connect(file)
    cursor = local.cursor()
    cursor.execute("CREATE TABLE shelf (id INTEGER)")
    for number in range(calls):
        cursor.execute("INSERT INTO shelf VALUES (?)", (number,))
    local.commit()
    provider.force_flush()
    provider.shutdown()


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], int(sys.argv[3]))
