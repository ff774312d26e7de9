"""A build's normal, the owner's choice of floors, and data sheets of oils."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision: str | None = "0003"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the three tables."""
    op.create_table(
        "normals",
        sa.Column("id", sa.String, primary_key=True),
        _of("car", "cars"),
        _of("build", "builds"),
        *(sa.Column(name, sa.String, nullable=False) for name in ("day", "reason", "note")),
        *(sa.Column(name, sa.JSON, nullable=False) for name in ("sessions", "curve", "idle")),
    )
    op.create_table(
        "floors",
        sa.Column("id", sa.String, primary_key=True),
        _of("car", "cars"),
        *(
            sa.Column(name, sa.String, nullable=False)
            for name in ("since", "reason", "target", "act_now", "alarm", "note")
        ),
        sa.Column("floors", sa.JSON, nullable=False),
    )
    op.create_table(
        "oil_sheets",
        sa.Column("id", sa.String, primary_key=True),
        _of("car", "cars"),
        *(sa.Column(name, sa.String, nullable=False) for name in ("name", "source", "note")),
        *(sa.Column(name, sa.Float, nullable=True) for name in ("v40", "v100", "ceiling_c")),
    )
    for table in ("normals", "floors", "oil_sheets"):
        op.create_index(f"ix_{table}_car", table, ["car"])


def _of(field: str, table: str) -> sa.Column[str]:
    return sa.Column(
        field, sa.String, sa.ForeignKey(f"{table}.id", deferrable=True, initially="DEFERRED"), nullable=False
    )
