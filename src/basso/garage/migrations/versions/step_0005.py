"""Circuits with their lasting maps; what the owner decided after a session."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision: str | None = "0004"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the two tables."""
    op.create_table(
        "circuits",
        sa.Column("id", sa.String, primary_key=True),
        _of_car(),
        *(sa.Column(name, sa.String, nullable=False) for name in ("name", "day", "note")),
        *(sa.Column(name, sa.JSON, nullable=False) for name in ("sessions", "survey")),
    )
    op.create_table(
        "rulings",
        sa.Column("id", sa.String, primary_key=True),
        _of_car(),
        *(
            sa.Column(name, sa.String, nullable=False)
            for name in ("session", "day", "decision", "limit", "reason", "seen")
        ),
    )
    for table in ("circuits", "rulings"):
        op.create_index(f"ix_{table}_car", table, ["car"])


def _of_car() -> sa.Column[str]:
    return sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False)
