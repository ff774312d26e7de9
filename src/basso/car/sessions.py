"""A session as the garage keeps it, filled in from its log."""

from __future__ import annotations

from basso.analysis import Analysis
from basso.garage.records import Session
from basso.recording.use import drive_use


def fresh_session(a: Analysis, *, car: str, build: str, title: str, day: str) -> Session:
    """The facts of a judged log as a session of a build. ``day``: where the log does not say when it began."""
    use = drive_use(a.recording)

    def whole(value: float | None) -> float | None:
        return None if value is None else round(value, 1)

    return Session(
        car=car,
        build=build,
        title=title,
        began=a.recording.started or day,
        log_name=a.recording.path.name,
        log_hash=a.recording.content_hash,
        running_s=whole(use.running_s),
        hot_s=whole(use.hot_s),
        distance_km=whole(use.distance_km),
        peak_oil_c=whole(use.peak_oil_c),
        laps=sum(x.complete for x in a.laps) or None,
    )
