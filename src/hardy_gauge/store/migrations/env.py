"""Runs migrations on the connection that ``store.migrate`` hands over."""

from alembic import context

from hardy_gauge.store import people  # noqa: F401
from hardy_gauge.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
context.run_migrations()
