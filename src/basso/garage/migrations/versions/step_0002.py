"""Engines get dated cards, jobs keep the sheet they were begun on, an attachment may be about a part of a record."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

from basso.garage.forms import STEPS

revision = "0002"
down_revision: str | None = "0001"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Add the columns, and bring the records inside kept edits up too, so that they can still be taken back."""
    with op.batch_alter_table("engines") as engines:
        engines.add_column(sa.Column("engine", sa.String, nullable=False, server_default=""))
        engines.add_column(sa.Column("since", sa.String, nullable=False, server_default=""))
        engines.add_column(sa.Column("reason", sa.String, nullable=False, server_default=""))
        engines.add_column(sa.Column("cylinders", sa.Integer, nullable=True))
        engines.add_column(sa.Column("main_bearings", sa.Integer, nullable=True))
    op.execute("UPDATE engines SET engine = id")
    with op.batch_alter_table("jobs") as jobs:
        jobs.add_column(sa.Column("begun_on", sa.JSON, nullable=False, server_default="{}"))
    with op.batch_alter_table("attachments") as attachments:
        attachments.add_column(sa.Column("part", sa.String, nullable=False, server_default=""))
    connection = op.get_bind()
    for number, kept in connection.execute(sa.text("SELECT id, changes FROM edits")).all():
        changes = json.loads(kept)
        for change in changes:
            for side in ("before", "after"):
                if change[side] is not None:
                    change[side] = STEPS[2](change["table"], change[side])
        connection.execute(
            sa.text("UPDATE edits SET changes = :changes WHERE id = :id"),
            {"changes": json.dumps(changes), "id": number},
        )
