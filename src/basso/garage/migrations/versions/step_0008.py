"""Accumulators as they are fitted, each with its build."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision: str | None = "0007"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "accumulators",
        sa.Column("id", sa.String, primary_key=True),
        *(
            sa.Column(
                name, sa.String, sa.ForeignKey(f"{table}.id", deferrable=True, initially="DEFERRED"), nullable=False
            )
            for name, table in (("car", "cars"), ("build", "builds"))
        ),
        *(sa.Column(name, sa.String, nullable=False) for name in ("day", "name", "card", "note")),
    )
    op.create_index("ix_accumulators_car", "accumulators", ["car"])
