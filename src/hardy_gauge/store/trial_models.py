"""Tables of trials: what was asked, every run, and what sets a server back."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, LargeBinary
from sqlalchemy.orm import Mapped, mapped_column, relationship

from hardy_gauge.store.models import Base


class Trial(Base):
    """An experiment: its design, how far it is, and what came out. ``live`` is the run that goes on (``LiveRun``), None between two."""

    __tablename__ = "trial"
    AUDITED = ("title", "design", "stop")
    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str]
    created_us: Mapped[int]
    design: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(default="waiting")
    detail: Mapped[str] = mapped_column(default="")
    done_share: Mapped[float] = mapped_column(default=0.0)
    stop: Mapped[bool] = mapped_column(default=False)
    result: Mapped[dict[str, Any] | None] = mapped_column(default=None)
    live: Mapped[dict[str, Any] | None] = mapped_column(default=None)
    runs: Mapped[list[Run]] = relationship(back_populates="trial", order_by="Run.number")


class Run(Base):
    """One execution of the workload against one arm; ``figures`` after its warm-up was removed."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id"), index=True)
    number: Mapped[int]
    block: Mapped[int]
    arm: Mapped[str]
    figures: Mapped[dict[str, Any]]
    trial: Mapped[Trial] = relationship(back_populates="runs")


class RunExecutions(Base):
    """Every execution of a run, as Parquet."""

    __tablename__ = "run_executions"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[bytes] = mapped_column(LargeBinary)


class WayBack(Base):
    """What sets a server back that a trial changes, kept before it is changed: ``commands`` in order, each as {"sql", "words"}. ``name`` is
    the application name of the trial's sessions, ``owner`` the process that runs it, ``restart`` the command that restarts the server
    where that is a part of the way. ``done_us`` is when all was as before; ``problem`` says what could not be set back.
    """

    __tablename__ = "way_back"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id", ondelete="CASCADE"), index=True)
    trial_id: Mapped[int | None] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True, default=None)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"), default=None)
    database: Mapped[str]
    name: Mapped[str]
    commands: Mapped[list[Any]]
    restart: Mapped[str] = mapped_column(default="")
    owner: Mapped[dict[str, Any]]
    began_us: Mapped[int]
    done_us: Mapped[int | None] = mapped_column(default=None)
    problem: Mapped[str] = mapped_column(default="")
