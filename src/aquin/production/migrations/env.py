"""Alembic's entry: it runs inside the transaction that the program has opened."""

from alembic import context

from aquin.production.tables import METADATA

context.configure(
    connection=context.config.attributes["connection"], target_metadata=METADATA, render_as_batch=True
)
context.run_migrations()
