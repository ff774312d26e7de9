"""The garage's tables, made from the records' own fields. How they came to be stands in ``migrations``."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

import sqlalchemy as sa

from basso.garage.records import KINDS, Record

metadata = sa.MetaData()
_POINTS = {"car": "cars", "build": "builds"}
"""Fields that must name a record there is; an empty ``build`` of a job is kept as NULL."""


def _column(record: type[Record], name: str, kind: str) -> sa.Column[object]:
    if name == "id":
        return sa.Column("id", sa.String, primary_key=True)
    points: list[sa.ForeignKey] = []
    if name in _POINTS:
        points = [sa.ForeignKey(f"{_POINTS[name]}.id", deferrable=True, initially="DEFERRED")]
    types: dict[str, type[sa.types.TypeEngine[Any]]] = {
        "str": sa.String,
        "float | None": sa.Float,
        "int | None": sa.Integer,
        "bool": sa.Boolean,
    }
    optional = "None" in kind or (name == "build" and record.table == "jobs")
    return sa.Column(name, types.get(kind, sa.JSON), *points, nullable=optional, index=name == "car")


TABLES = {
    kind.table: sa.Table(kind.table, metadata, *(_column(kind, f.name, str(f.type)) for f in fields(kind)))
    for kind in KINDS
}
EDITS = sa.Table(
    "edits",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("at", sa.String, nullable=False),
    sa.Column("label", sa.String, nullable=False),
    sa.Column("changes", sa.JSON, nullable=False),
    sa.Column("undone", sa.Boolean, nullable=False),
)
"""Every edit with what was before and after, so that it can be taken back."""
