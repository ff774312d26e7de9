"""Pans as they were measured, each with its build."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision: str | None = "0006"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "pans",
        sa.Column("id", sa.String, primary_key=True),
        *(
            sa.Column(
                name, sa.String, sa.ForeignKey(f"{table}.id", deferrable=True, initially="DEFERRED"), nullable=False
            )
            for name, table in (("car", "cars"), ("build", "builds"))
        ),
        *(sa.Column(name, sa.String, nullable=False) for name in ("day", "name", "shape", "note")),
    )
    op.create_index("ix_pans_car", "pans", ["car"])
