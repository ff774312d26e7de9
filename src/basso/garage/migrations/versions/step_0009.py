"""Warning devices as they are set, each with its build."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision: str | None = "0008"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "alarms",
        sa.Column("id", sa.String, primary_key=True),
        *(
            sa.Column(
                name, sa.String, sa.ForeignKey(f"{table}.id", deferrable=True, initially="DEFERRED"), nullable=False
            )
            for name, table in (("car", "cars"), ("build", "builds"))
        ),
        *(sa.Column(name, sa.String, nullable=False) for name in ("day", "name", "card")),
        *(sa.Column(name, sa.Float) for name in ("closes_kpa", "opens_kpa")),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_alarms_car", "alarms", ["car"])
