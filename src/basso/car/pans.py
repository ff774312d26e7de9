"""The pan that was on a car at a session, as it was measured."""

from __future__ import annotations

import tomllib
from dataclasses import replace
from functools import lru_cache

from basso.car.history import CarHistory
from basso.errors import InputError
from basso.garage.records import Build, Pan, Session
from basso.sump.measured import MeasuredPan
from basso.sump.pan_file import pan_of

_MOST_TEXT = 1_000_000
"""A pan's file is no longer than this; a bundle may come from anybody."""


def pan_record(history: CarHistory, build: Build | None) -> Pan | None:
    """The newest measured pan of a build; else that of another build with the same pan, pickup and baffle by its
    card."""
    if build is None:
        return None
    alike = {
        b.id
        for b in history.builds
        if b.id == build.id or (build.pan and (b.pan, b.pickup, b.baffle) == (build.pan, build.pickup, build.baffle))
    }
    found = [p for p in history.pans if p.build in alike]
    return max(found, key=lambda p: (p.build == build.id, p.day), default=None)


def pan_at(history: CarHistory, session: Session) -> MeasuredPan | None:
    """The pan that was on at a session; None where none was measured, or its record cannot be read.

    On another build than it was measured on, the fill is as much more as that build's card says.
    """
    if history.arrival is not None:
        return None  # nothing of a car from elsewhere acts before it is accepted
    build = history.build_of(session)
    record = pan_record(history, build)
    pan = measured(record.shape) if record is not None else None
    if record is None or build is None or pan is None or pan.fill_l is None or record.build == build.id:
        return pan
    own = next((b for b in history.builds if b.id == record.build), None)
    if own is None or own.level_l is None or build.level_l is None:
        return pan
    return measured(record.shape, build.level_l - own.level_l)


def stick_readings(history: CarHistory) -> tuple[tuple[float, float], ...]:
    """What was poured and read on the stick of the car's newest series, (L, mm): those that enter its line."""
    from basso.car.level_readings import sort_readings, stored_l

    series = next((p.series for p in reversed(history.levels)), None)
    points = [p for p in history.levels if p.series == series]
    used = sort_readings(points, lambda p: stored_l(history.builds, p)).used
    return tuple((reading.pan_l, reading.depth_mm) for _, reading in used)


@lru_cache(maxsize=16)
def measured(shape: str, more_l: float = 0.0) -> MeasuredPan | None:
    """A pan's file as it is kept, with so much more oil in it: the same pan each time. None where it cannot be read
    (written by another Basso, or by hand)."""
    if len(shape) > _MOST_TEXT:
        return None
    try:
        pan = pan_of(tomllib.loads(shape), "pan")
    except (InputError, tomllib.TOMLDecodeError, RecursionError):
        return None
    return replace(pan, fill_l=pan.fill_l + more_l) if pan.fill_l is not None and more_l else pan
