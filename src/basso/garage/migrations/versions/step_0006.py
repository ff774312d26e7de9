"""Cars that came from elsewhere and were not accepted yet."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision: str | None = "0005"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "arrivals",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        *(sa.Column(name, sa.String, nullable=False) for name in ("day", "source")),
        sa.Column("decisions", sa.JSON, nullable=False),
    )
    op.create_index("ix_arrivals_car", "arrivals", ["car"])
