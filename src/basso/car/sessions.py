"""A session as the garage keeps it, filled in from its log; and a log of no car yet, placed with one."""

from __future__ import annotations

from dataclasses import dataclass, replace

from basso.analysis import Analysis
from basso.car.history import CarHistory
from basso.garage.records import Build, Car, Engine, Record, Session
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


@dataclass(frozen=True, slots=True)
class Placing:
    """Where a log belongs, as its owner says it.

    Attributes:
        car, build: by name; one that is not there yet is made.
        day: ISO day, where the log does not say when it began.
        oil_grade, level_l: of a build that is made now; oil in the pan in litres, None where it is not known.
    """

    car: str
    build: str
    day: str
    circuit: str = ""
    oil_grade: str = ""
    level_l: float | None = None


def placed(a: Analysis, where: Placing, title: str, known: CarHistory | None) -> list[Record]:
    """What has to be written down so that a judged log stands with its car: the session, its build and car where they
    are new.

    Args:
        title: what the session is called.
        known: the car of that name, or None where there is none yet.
    """
    made: list[Record] = []
    if known is None:
        car = Car(name=where.car)
        engine = Engine(car=car.id, name="Engine")
        made += [car, engine]
        car_id, engine_id = car.id, engine.engine
    else:
        car_id, engine_id = known.car.id, known.engine.engine if known.engine is not None else ""
    build = next((b for b in known.builds if b.name == where.build), None) if known is not None else None
    if build is None:
        build = Build(
            car=car_id,
            engine=engine_id,
            name=where.build,
            since=(a.recording.started or where.day)[:10],
            oil_grade=where.oil_grade,
            level_l=where.level_l,
        )
        made.append(build)
    session = fresh_session(a, car=car_id, build=build.id, title=title, day=where.day)
    return [*made, replace(session, circuit=where.circuit)]
