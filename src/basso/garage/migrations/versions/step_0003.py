"""A register of sensors, and their calibrations."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision: str | None = "0002"
branch_labels: str | None = None
depends_on: str | None = None

_WORDS = (
    "sensor",
    "name",
    "since",
    "reason",
    "measures",
    "place",
    "channel",
    "reference",
    "thread",
    "mount",
    "lamp",
    "supply_pin",
    "fuse",
    "signal_pin",
    "return_pin",
    "return_with",
    "note",
)
_NUMBERS = (
    "low_kpa",
    "high_kpa",
    "low_c",
    "high_c",
    "low_v",
    "high_v",
    "line_m",
    "bore_mm",
    "tee_turns",
    "belt_mm",
    "supply_v",
    "return_ma",
    "return_ohm",
)


def upgrade() -> None:
    """Make the two tables."""
    op.create_table(
        "sensors",
        sa.Column("id", sa.String, primary_key=True),
        _of_car(),
        *(sa.Column(name, sa.String, nullable=False) for name in _WORDS),
        *(sa.Column(name, sa.Boolean, nullable=False) for name in ("fitted", "rises")),
        *(sa.Column(name, sa.Float, nullable=True) for name in _NUMBERS),
    )
    op.create_table(
        "calibrations",
        sa.Column("id", sa.String, primary_key=True),
        _of_car(),
        *(sa.Column(name, sa.String, nullable=False) for name in ("sensor", "day", "against", "reads", "note")),
        sa.Column("points", sa.JSON, nullable=False),
    )
    for table in ("sensors", "calibrations"):
        op.create_index(f"ix_{table}_car", table, ["car"])


def _of_car() -> sa.Column[str]:
    return sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False)
