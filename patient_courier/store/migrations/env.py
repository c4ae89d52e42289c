"""Alembic's entry: runs the migrations on the connection that Database hands over."""

from alembic import context

from patient_courier.store.base.tables import Table

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Table.metadata,
    render_as_batch=True,
    transactional_ddl=False,
)
context.run_migrations()
