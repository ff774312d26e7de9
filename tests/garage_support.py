"""A small made-up garage that several tests share."""

from __future__ import annotations

from basso.garage.records import (
    Accumulator,
    Alarm,
    Attachment,
    Build,
    Calibration,
    Car,
    Engine,
    FloorChoice,
    Job,
    LevelPoint,
    Normal,
    OilEntry,
    OilSample,
    OilSheet,
    Pan,
    Record,
    Sensor,
    Session,
)


def a_car(sessions: int = 3) -> list[Record]:
    """A car with a record of every kind."""
    car = Car(name="Car 31", use="competition")
    engine = Engine(
        car=car.id,
        name="Two litre",
        maker_points=((2500.0, 193.0), (6000.0, 380.0)),
        grades=("5W-40", "10W-40"),
        relief_kpa=430.0,
        full_l=3.6,
        filter_l=0.3,
        cooler_l=0.25,
        lines_l=0.1,
        galleries_l=0.35,
        oil_hours=12.0,
    )
    build = Build(
        car=car.id,
        engine=engine.engine,
        name="Build 1",
        since="2026-04-01",
        pan="stock",
        oil_grade="5W-40",
        level_l=3.6,
    )
    drives = [
        Session(
            car=car.id,
            build=build.id,
            title=f"Stint {i + 1}",
            began=f"2026-05-{i % 28 + 1:02d}T10:00:00",
            circuit="Harrowfell",
            running_s=900.0,
            distance_km=24.0,
            laps=7,
            log_hash=f"hash{i}",
        )
        for i in range(sessions)
    ]
    return [
        car,
        engine,
        build,
        *drives,
        OilEntry(car=car.id, day="2026-04-01", kind="fill", grade="5W-40", volume_l=4.6, filter_new=True),
        OilSample(
            car=car.id,
            day="2026-06-01",
            bottle="A1",
            session=drives[0].id if drives else "",
            values={"Fe": 22.0, "v100": 13.1},
        ),
        LevelPoint(car=car.id, series="stock pan", day="2026-04-01", pan_l=3.0, depth_mm=62.0),
        Job(car=car.id, sheet="oil-change", opened="2026-04-01", entries={"drain": {"done": True}}),
        Attachment(car=car.id, about=build.id, day="2026-04-01", text="Pickup marked before closing."),
        (gauge := Sensor(car=car.id, name="Gallery sensor", since="2026-04-01", reference="gauge", high_kpa=1000.0)),
        Calibration(
            car=car.id, sensor=gauge.sensor, day="2026-04-02", points=((0.0, 0.4), (400.0, 401.0), (800.0, 801.0))
        ),
        Normal(
            car=car.id,
            build=build.id,
            day="2026-05-04",
            sessions=tuple(d.id for d in drives),
            curve={"form": 0},
            note="before the tray",
        ),
        Pan(car=car.id, build=build.id, day="2026-05-04", name="stock pan", shape='schema = "basso.pan/1"'),
        Accumulator(car=car.id, build=build.id, day="2026-05-04", name="2 L", card='schema = "basso.fitted/1"'),
        Alarm(car=car.id, build=build.id, day="2026-05-04", name="Table by rpm", card="{}", closes_kpa=38.0),
        FloorChoice(
            car=car.id,
            since="2026-05-01",
            reason="rods are new",
            floors=("slope:0,48.3", "share:0.70"),
            act_now="fixed:276",
        ),
        OilSheet(car=car.id, name="5W-40", v40=81.0, v100=13.6, ceiling_c=120.0, source="data sheet of 2026"),
    ]
