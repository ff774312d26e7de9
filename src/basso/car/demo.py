"""The demo garage: made anew from the demo folder each time, so that nothing done to it stays.

``python -m basso.car.demo`` surveys its circuits anew from the demo logs, which takes too long for each start.
"""

from __future__ import annotations

import json
import shutil
import tomllib
import uuid
from dataclasses import replace
from importlib import resources
from pathlib import Path
from typing import Any

from basso.car.jobs import Entered, begun
from basso.files import put_whole
from basso.garage.records import (
    Accumulator,
    Attachment,
    Build,
    Calibration,
    Car,
    Circuit,
    Engine,
    Job,
    LevelPoint,
    OilEntry,
    OilSample,
    Pan,
    Record,
    Sensor,
    Session,
)
from basso.garage.store import Garage

_CIRCUITS = "circuits.json"
_SERIES = "standard pan, standard stick"


def make_demo_garage(demo: Path, folder: Path) -> None:
    """Make the garage of the demo scenario in a folder; one that was there is replaced."""
    shutil.rmtree(folder, ignore_errors=True)
    with Garage(folder) as garage:
        garage.add("the demo garage", *demo_records(demo))


def demo_records(demo: Path) -> list[Record]:
    """Every record of the demo scenario, the same each time, identifiers included."""
    table = tomllib.loads((demo / "garage.toml").read_text(encoding="utf-8"))
    logs = {s["log"]: s for s in tomllib.loads((demo / "sessions.toml").read_text(encoding="utf-8"))["session"]}
    car = Car(id=_id("car"), **table["car"])
    own: dict[str, Any] = {"car": car.id}
    points = tuple((float(a), float(b)) for a, b in table["engine"].pop("maker_points"))
    grades = tuple(table["engine"].pop("grades"))
    engine = Engine(
        id=_id("engine"), engine=_id("engine"), maker_points=points, grades=grades, **own, **table["engine"]
    )
    cards = [engine, *(replace(engine, id=_id(f"engine {c['since']}"), **c) for c in table["engine_card"])]
    builds: dict[str, Build] = {}
    for build in table["build"]:
        parts = tuple(build.pop("parts", ()))
        builds[build["name"]] = Build(id=_id(build["name"]), engine=engine.engine, parts=parts, **own, **build)
    sessions: dict[str, Session] = {}
    for drive in table["drive"]:
        log = logs[drive.pop("log")]
        sessions[log["title"]] = Session(
            id=_id(log["title"]),
            build=builds[log["build"]].id,
            title=log["title"],
            circuit=log["circuit"],
            tyres="slick, hard",
            log_name=log["log"],
            log_hash=drive.pop("hash"),
            **own,
            **drive,
        )
    for drive in table["unlogged"]:
        build = builds[drive.pop("build")].id
        sessions[drive["title"]] = Session(id=_id(drive["title"]), build=build, **own, **drive)
    made: list[Record] = [car, *cards, *builds.values(), *sessions.values()]
    made += [OilEntry(id=_id(f"oil {i}"), **own, **o) for i, o in enumerate(table["oil"])]
    for i, sample in enumerate(table["sample"]):
        sample["session"] = sessions[sample["session"]].id
        made.append(OilSample(id=_id(f"sample {i}"), **own, **sample))
    made += [
        LevelPoint(id=_id(f"level {i}"), series=_SERIES, day="2026-04-01", wait_min=10.0, **own, **p)
        for i, p in enumerate(table["level"] + table["mark"])
    ]
    made += [_job(i, job, builds, engine, own) for i, job in enumerate(table["job"])]
    made += [
        Attachment(id=_id(f"note {i}"), about=builds[n.pop("about")].id, **own, **n)
        for i, n in enumerate(table["note"])
    ]
    shape = (demo / "pan.toml").read_text(encoding="utf-8")
    on = builds["Build 2, full mark"].id
    made.append(Pan(id=_id("pan"), build=on, day="2026-05-20", name="Standard pan", shape=shape, **own))
    card, fitted_on = (demo / "fitted.toml").read_text(encoding="utf-8"), builds["Build 4, accumulator"]
    made.append(
        Accumulator(
            id=_id("accumulator"), build=fitted_on.id, day=fitted_on.since, name="2 L, manual valve", card=card, **own
        )
    )
    return [*made, *_sensors(table, own), *_circuits(demo, sessions, own)]


def _circuits(demo: Path, sessions: dict[str, Session], own: dict[str, Any]) -> list[Record]:
    """The circuits' maps as they were surveyed, from the sessions that were driven there."""
    surveyed = json.loads((demo / _CIRCUITS).read_text(encoding="utf-8"))
    return [
        Circuit(
            id=_id(f"circuit {name}"),
            name=name,
            day=c["day"],
            survey=c["survey"],
            sessions=tuple(sessions[title].id for title in c["sessions"]),
            **own,
        )
        for name, c in surveyed.items()
    ]


def survey(demo: Path) -> dict[str, Any]:
    """The demo's circuits as they are kept: each laid out from its sessions' logs, the team's names put on its
    places."""
    from basso.analysis import analyse
    from basso.car.circuits import UNNAMED, with_map
    from basso.formats.registry import read_recording
    from basso.pressure.options import JudgeOptions
    from basso.track.circuit_map import map_of

    drives = tomllib.loads((demo / "sessions.toml").read_text(encoding="utf-8"))["session"]
    made = {}
    for wanted in tomllib.loads((demo / "garage.toml").read_text(encoding="utf-8"))["circuit"]:
        name, titles = wanted["name"], wanted["sessions"]
        logs = [next(d["log"] for d in drives if d["title"] == title) for title in titles]
        tracks = [analyse(read_recording(demo / log), JudgeOptions()).track for log in logs]
        circuit = map_of(name, [t for t in tracks if t is not None])
        for place, called in wanted["places"].items():
            circuit = circuit.named(place, called)
        kept = with_map(Circuit(car=UNNAMED, name=name), circuit)
        made[name] = {"day": wanted["day"], "sessions": titles, "survey": kept.survey}
    return made


def _sensors(table: dict[str, Any], own: dict[str, Any]) -> list[Record]:
    """The cards of the sensors, each later one like the one before but for what it says, and their calibrations."""
    made: list[Record] = []
    now: dict[str, Sensor] = {}
    for plain in table["sensor"]:
        key = plain.pop("key")
        fresh = {**plain, "id": _id(f"sensor {key} {plain['since']}")}
        now[key] = replace(now[key], **fresh) if key in now else Sensor(sensor=_id(f"sensor {key}"), **own, **fresh)
        made.append(now[key])
    for plain in table["calibration"]:
        key, points = plain.pop("key"), tuple((float(a), float(b)) for a, b in plain.pop("points"))
        made.append(
            Calibration(
                id=_id(f"calibration {key} {plain['day']}"), sensor=now[key].sensor, points=points, **own, **plain
            )
        )
    return made


def _job(number: int, job: dict[str, Any], builds: dict[str, Build], engine: Engine, own: dict[str, Any]) -> Job:
    values, words, done = job.pop("values", {}), job.pop("words", {}), job.pop("done", None)
    reasons, rows, sheet = (
        job.pop("reasons", {}),
        job.pop("rows", {}),
        begun(job["sheet"], engine, builds[job["build"]]),
    )
    entries = {}
    for step in sheet["steps"]:
        key, columns = step["key"], [c["name"] for c in step["columns"]]
        if done is not None and key not in done:
            continue
        # A row that is not named looked like most.
        said = {row: rows.get(key, {}).get(row, rows.get(key, {}).get("most", [])) for row in step["rows"]}
        found = {row: dict(zip(columns, cells, strict=False)) for row, cells in said.items()}
        got = Entered(True, values.get(key), words.get(key, ""), reasons.get(key, ""), found)
        entries[key] = got.as_plain()
    return Job(
        id=_id(f"job {number}"), build=builds[job.pop("build")].id, entries=entries, begun_on=sheet, **own, **job
    )


def _id(name: str) -> str:
    return uuid.uuid5(uuid.NAMESPACE_OID, f"basso demo {name}").hex


def main() -> None:
    """Survey the demo's circuits anew into the package."""
    demo = Path(str(resources.files("basso").joinpath("demo")))
    plain = json.dumps(survey(demo), ensure_ascii=False, separators=(",", ":"))
    put_whole(demo / _CIRCUITS, f"{plain}\n".encode())


if __name__ == "__main__":
    main()
