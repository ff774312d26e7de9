"""The first form of the garage."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision: str | None = None
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make every table."""
    op.create_table(
        "cars",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("use", sa.String, nullable=False),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_table(
        "edits",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.String, nullable=False),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("changes", sa.JSON, nullable=False),
        sa.Column("undone", sa.Boolean, nullable=False),
    )
    op.create_table(
        "attachments",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("about", sa.String, nullable=False),
        sa.Column("day", sa.String, nullable=False),
        sa.Column("text", sa.String, nullable=False),
        sa.Column("file_name", sa.String, nullable=False),
        sa.Column("file_hash", sa.String, nullable=False),
    )
    op.create_index("ix_attachments_car", "attachments", ["car"])
    op.create_table(
        "builds",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("engine", sa.String, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("since", sa.String, nullable=False),
        sa.Column("reason", sa.String, nullable=False),
        sa.Column("pan", sa.String, nullable=False),
        sa.Column("pickup", sa.String, nullable=False),
        sa.Column("pickup_gap_mm", sa.Float, nullable=True),
        sa.Column("baffle", sa.String, nullable=False),
        sa.Column("tray", sa.String, nullable=False),
        sa.Column("accumulator", sa.String, nullable=False),
        sa.Column("accumulator_l", sa.Float, nullable=True),
        sa.Column("cooler", sa.String, nullable=False),
        sa.Column("sensors", sa.String, nullable=False),
        sa.Column("oil_grade", sa.String, nullable=False),
        sa.Column("level_l", sa.Float, nullable=True),
        sa.Column("tyres", sa.String, nullable=False),
        sa.Column("map", sa.String, nullable=False),
        sa.Column("parts", sa.JSON, nullable=False),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_builds_car", "builds", ["car"])
    op.create_table(
        "engines",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("clearance", sa.String, nullable=False),
        sa.Column("main_mm", sa.Float, nullable=True),
        sa.Column("rod_mm", sa.Float, nullable=True),
        sa.Column("aspiration", sa.String, nullable=False),
        sa.Column("relief_kpa", sa.Float, nullable=True),
        sa.Column("idle_rpm", sa.Float, nullable=True),
        sa.Column("redline_rpm", sa.Float, nullable=True),
        sa.Column("pump_cm3", sa.Float, nullable=True),
        sa.Column("maker_points", sa.JSON, nullable=False),
        sa.Column("window_low_kpa", sa.Float, nullable=True),
        sa.Column("window_high_kpa", sa.Float, nullable=True),
        sa.Column("grades", sa.JSON, nullable=False),
        sa.Column("oil_target_c", sa.Float, nullable=True),
        sa.Column("full_l", sa.Float, nullable=True),
        sa.Column("filter_l", sa.Float, nullable=True),
        sa.Column("cooler_l", sa.Float, nullable=True),
        sa.Column("lines_l", sa.Float, nullable=True),
        sa.Column("galleries_l", sa.Float, nullable=True),
        sa.Column("oil_hours", sa.Float, nullable=True),
        sa.Column("oil_km", sa.Float, nullable=True),
        sa.Column("oil_events", sa.Float, nullable=True),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_engines_car", "engines", ["car"])
    op.create_table(
        "levels",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("series", sa.String, nullable=False),
        sa.Column("day", sa.String, nullable=False),
        sa.Column("pan_l", sa.Float, nullable=True),
        sa.Column("depth_mm", sa.Float, nullable=True),
        sa.Column("mark", sa.String, nullable=False),
        sa.Column("accumulator", sa.String, nullable=False),
        sa.Column("stance", sa.String, nullable=False),
        sa.Column("wait_min", sa.Float, nullable=True),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_levels_car", "levels", ["car"])
    op.create_table(
        "oil",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("day", sa.String, nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("grade", sa.String, nullable=False),
        sa.Column("lot", sa.String, nullable=False),
        sa.Column("family", sa.String, nullable=False),
        sa.Column("volume_l", sa.Float, nullable=True),
        sa.Column("filter_new", sa.Boolean, nullable=False),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_oil_car", "oil", ["car"])
    op.create_table(
        "samples",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("day", sa.String, nullable=False),
        sa.Column("bottle", sa.String, nullable=False),
        sa.Column("session", sa.String, nullable=False),
        sa.Column("values", sa.JSON, nullable=False),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_samples_car", "samples", ["car"])
    op.create_table(
        "jobs",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column("build", sa.String, sa.ForeignKey("builds.id", deferrable=True, initially="DEFERRED"), nullable=True),
        sa.Column("sheet", sa.String, nullable=False),
        sa.Column("opened", sa.String, nullable=False),
        sa.Column("closed", sa.String, nullable=False),
        sa.Column("signed", sa.String, nullable=False),
        sa.Column("minutes", sa.Float, nullable=True),
        sa.Column("follow_up", sa.String, nullable=False),
        sa.Column("entries", sa.JSON, nullable=False),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_jobs_car", "jobs", ["car"])
    op.create_table(
        "sessions",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("car", sa.String, sa.ForeignKey("cars.id", deferrable=True, initially="DEFERRED"), nullable=False),
        sa.Column(
            "build", sa.String, sa.ForeignKey("builds.id", deferrable=True, initially="DEFERRED"), nullable=False
        ),
        sa.Column("title", sa.String, nullable=False),
        sa.Column("began", sa.String, nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("circuit", sa.String, nullable=False),
        sa.Column("weather", sa.String, nullable=False),
        sa.Column("air_c", sa.Float, nullable=True),
        sa.Column("fuel", sa.String, nullable=False),
        sa.Column("tyres", sa.String, nullable=False),
        sa.Column("driver", sa.String, nullable=False),
        sa.Column("accumulator", sa.String, nullable=False),
        sa.Column("map", sa.String, nullable=False),
        sa.Column("log_name", sa.String, nullable=False),
        sa.Column("log_hash", sa.String, nullable=False),
        sa.Column("running_s", sa.Float, nullable=True),
        sa.Column("hot_s", sa.Float, nullable=True),
        sa.Column("distance_km", sa.Float, nullable=True),
        sa.Column("laps", sa.Integer, nullable=True),
        sa.Column("peak_oil_c", sa.Float, nullable=True),
        sa.Column("lamp_rpm", sa.Float, nullable=True),
        sa.Column("note", sa.String, nullable=False),
    )
    op.create_index("ix_sessions_car", "sessions", ["car"])


def downgrade() -> None:
    """There is nothing before the first form."""
