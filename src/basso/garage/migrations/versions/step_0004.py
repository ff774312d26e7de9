"""A build's normal, the owner's choice of floors, data sheets of oils; where the maker's window is quoted."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

from basso.garage.forms import STEPS

revision = "0004"
down_revision: str | None = "0003"
branch_labels: str | None = None
depends_on: str | None = None


def upgrade() -> None:
    """Make the three tables, add where the maker's window is quoted, and bring the engines inside kept edits up too."""
    with op.batch_alter_table("engines") as engines:
        engines.add_column(sa.Column("window_rpm", sa.Float, nullable=True))
        engines.add_column(sa.Column("window_c", sa.Float, nullable=True))
        engines.add_column(sa.Column("maker_port", sa.String, nullable=False, server_default=""))
    connection = op.get_bind()
    for number, kept in connection.execute(sa.text("SELECT id, changes FROM edits")).all():
        changes = json.loads(kept)
        for change in changes:
            for side in ("before", "after"):
                if change[side] is not None:
                    change[side] = STEPS[4](change["table"], change[side])
        connection.execute(
            sa.text("UPDATE edits SET changes = :changes WHERE id = :id"),
            {"changes": json.dumps(changes), "id": number},
        )
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
