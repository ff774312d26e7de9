"""A car goes out as one open file and comes in elsewhere as it was."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from basso.car.history import car_history
from basso.errors import InputError
from basso.garage.bundle import accept_car, export_car, import_car
from basso.garage.forms import FORM
from basso.garage.records import KINDS, Arrival, Car, Session
from basso.garage.store import Garage
from basso.memory.decisions import Decision
from basso.memory.memory import Memory
from garage_support import a_car

SAMPLES = b"PAR1 made up PAR1"


@pytest.fixture
def bundle(tmp_path: Path) -> Path:
    with Garage(tmp_path / "from") as garage:
        garage.add("adding", *a_car())
        garage.files.keep_samples("hash0", SAMPLES)
        path = tmp_path / "car.basso.zip"
        export_car(garage, garage.all(Car)[0], path, Memory.own().decisions)
    return path


def contents(garage: Garage) -> dict[str, object]:
    return {r.id: r for kind in KINDS if kind is not Arrival for r in garage.all(kind)}


def rewritten(bundle: Path, change: Callable[[dict[str, bytes]], None], resign: bool = True) -> Path:
    """The bundle as edited by hand; with its sums put right unless told not to."""
    with zipfile.ZipFile(bundle) as zipped:
        parts = {n: zipped.read(n) for n in zipped.namelist()}
    change(parts)
    if resign and "bundle.json" in parts:
        head = json.loads(parts["bundle.json"])
        if isinstance(head, dict) and "contents" in head:
            head["contents"] = {n: hashlib.sha256(parts[n]).hexdigest() for n in head["contents"] if n in parts}
            parts["bundle.json"] = json.dumps(head).encode()
    path = bundle.with_name("edited.zip")
    with zipfile.ZipFile(path, "w") as zipped:
        for name, data in parts.items():
            zipped.writestr(name, data)
    return path


def test_what_was_decided_about_its_logs_goes_along(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    decided = Decision(frozenset({("Oil P", "offset")}), frozenset({("Oil P", "delay", 0.2)}))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "here"))
    Memory.own().decisions.keep("hash1", decided)
    path = tmp_path / "car.basso.zip"
    with Garage(tmp_path / "from") as garage:
        garage.add("adding", *a_car())
        export_car(garage, garage.all(Car)[0], path, Memory.own().decisions)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "there"))
    with Garage(tmp_path / "to") as garage:
        car, _ = import_car(garage, path)
        assert Memory.own().decisions.of("hash1") == Decision()  # before it is accepted it acts on nothing
        accept_car(garage, car, Memory.own().decisions)
        assert accept_car(garage, car, Memory.own().decisions) is None
    assert Memory.own().decisions.of("hash1") == decided and Memory.own().decisions.of("hash0") == Decision()
    # What was decided here stays.
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "elsewhere"))
    own = Decision(frozenset({("Oil P", "sign")}))
    Memory.own().decisions.keep("hash1", own)
    with Garage(tmp_path / "third") as garage:
        accept_car(garage, import_car(garage, path)[0], Memory.own().decisions)
    assert Memory.own().decisions.of("hash1") == own
    for wrong in (b"[]", b'{"hash1": {"refused": [["x"]], "edited": []}}', b'{"hash1": 3}'):
        edited = rewritten(path, lambda parts, wrong=wrong: parts.update({"records/decisions.json": wrong}))  # type: ignore[misc]
        with Garage(tmp_path / f"bad-{len(wrong)}") as garage:
            with pytest.raises(InputError, match=r"decisions\.json: is no list of decisions"):
                import_car(garage, edited)
            assert garage.all(Car) == []


def test_a_car_comes_in_equal_and_only_once(bundle: Path, tmp_path: Path) -> None:
    with Garage(tmp_path / "from") as source, Garage(tmp_path / "to") as target:
        car, new = import_car(target, bundle)
        assert new is not None and contents(target) == contents(source)
        assert target.files.samples_file("hash0").read_bytes() == SAMPLES
        again = tmp_path / "again.zip"
        export_car(target, car, again, Memory.own().decisions)
        with zipfile.ZipFile(bundle) as a, zipfile.ZipFile(again) as b:
            for name in a.namelist():
                if name != "bundle.json":
                    assert a.read(name) == b.read(name)
        assert import_car(target, bundle) == (car, None)
        session = target.all(Session)[0]
        target.remove("removing", session)
        with pytest.raises(InputError, match=r"is in this garage already and differs"):
            import_car(target, bundle)
        other, _ = import_car(target, bundle, "Car 32")
        assert other.name == "Car 32" and len(target.all(Session, other.id)) == 3
        assert {s.build for s in target.all(Session, other.id)}.isdisjoint(
            {s.build for s in target.all(Session, car.id)}
        )


@pytest.mark.parametrize("form", range(1, FORM))
def test_a_bundle_of_an_earlier_form_comes_in_whole(form: int, tmp_path: Path) -> None:
    sample = Path(__file__).parent / "samples" / f"car-{form}.basso.zip"
    with Garage(tmp_path) as garage:
        car, new = import_car(garage, sample)
        history = car_history(garage, car)
        assert new is not None and len(history.sessions) == 3 and history.jobs[0].begun_on == {}
        assert history.engine is not None and history.newest_build is not None
        assert history.newest_build.engine == history.engine.engine and history.engine.rod_mm == 0.05
        copy, _ = import_car(garage, sample, "Copy")
        copied = car_history(garage, copy)
        assert copied.engine is not None and copied.engine.engine != history.engine.engine
        assert copied.names.engine == {copied.engine.engine: "Two litre"}


def _edit(part: str, change: Callable[[object], object]) -> Callable[[dict[str, bytes]], None]:
    def apply(parts: dict[str, bytes]) -> None:
        parts[part] = json.dumps(change(json.loads(parts[part]))).encode()

    return apply


def _first(**changes: object) -> Callable[[object], object]:
    def apply(rows: object) -> object:
        assert isinstance(rows, list)
        for name, value in changes.items():
            if value is None:
                del rows[0][name]
            else:
                rows[0][name] = value
        return rows

    return apply


HAND_EDITED: dict[str, tuple[Callable[[dict[str, bytes]], None], str]] = {
    "a word for a number": (
        _edit("records/engines.json", _first(relief_kpa="high")),
        r"'relief_kpa' is 'high', and should be a number",
    ),
    "a field too few": (_edit("records/sessions.json", _first(title=None)), r"'title' is missing"),
    "a field too many": (_edit("records/builds.json", _first(colour="red")), r"no field 'colour'"),
    "a build that is not there": (
        _edit("records/sessions.json", _first(build="elsewhere")),
        r"names a build that is not in the bundle",
    ),
    "another car's record": (_edit("records/oil.json", _first(car="someone")), r"belongs to another car"),
    "two of one id": (_edit("records/sessions.json", lambda rows: [*rows, rows[0]]), r"two records have the id"),  # type: ignore[misc]
    "no list": (_edit("records/oil.json", lambda _: 5), r"list of objects"),
    "broken JSON": (lambda p: p.update({"records/oil.json": b"[{"}), r"records/oil.json: is no JSON"),
    "a newer form": (_edit("bundle.json", lambda h: {**h, "schema": "basso.bundle/10"}), r"basso.bundle/9"),  # type: ignore[dict-item]
    "no contents": (lambda p: p.pop("bundle.json") and None, r"has no bundle.json"),
}


@pytest.mark.parametrize("name", HAND_EDITED)
def test_a_bundle_that_no_longer_fits_is_refused_by_name_and_place(name: str, bundle: Path, tmp_path: Path) -> None:
    change, says = HAND_EDITED[name]
    with Garage(tmp_path / "to") as garage:
        garage.add("adding", *a_car(1))
        before = contents(garage)
        with pytest.raises(InputError, match=says) as caught:
            import_car(garage, rewritten(bundle, change))
        assert "\n" not in str(caught.value)
        assert contents(garage) == before


def test_a_part_changed_without_its_sum_is_noticed(bundle: Path, tmp_path: Path) -> None:
    edited = rewritten(bundle, _edit("records/sessions.json", _first(title="better")), resign=False)
    with Garage(tmp_path / "to") as garage, pytest.raises(InputError, match=r"sessions.json was changed or damaged"):
        import_car(garage, edited)


@pytest.mark.parametrize("keep", [0.2, 0.9, 0.0])
def test_a_damaged_file_is_no_bundle(keep: float, bundle: Path, tmp_path: Path) -> None:
    data = bundle.read_bytes()
    bundle.write_bytes(data[: int(keep * len(data))])
    with Garage(tmp_path / "to") as garage, pytest.raises(InputError, match=r"no bundle, or a damaged one"):
        import_car(garage, bundle)


def test_a_part_with_a_path_out_of_the_bundle_is_refused(bundle: Path, tmp_path: Path) -> None:
    def escape(parts: dict[str, bytes]) -> None:
        head = json.loads(parts["bundle.json"])
        parts["../evil.json"] = b"[]"
        head["contents"]["../evil.json"] = ""
        parts["bundle.json"] = json.dumps(head).encode()

    with Garage(tmp_path / "to") as garage, pytest.raises(InputError, match="has no place in a bundle"):
        import_car(garage, rewritten(bundle, escape))
    assert not (tmp_path / "evil.json").exists()
