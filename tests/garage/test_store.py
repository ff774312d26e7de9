"""The garage keeps what it was given, whatever happens to it."""

from __future__ import annotations

import os
import random
import signal
import sqlite3
import subprocess
import sys
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
import sqlalchemy as sa
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.car.history import car_history
from basso.errors import InputError
from basso.garage.backups import restore
from basso.garage.forms import FORM
from basso.garage.place import FILE
from basso.garage.records import KINDS, Attachment, Build, Car, Engine, Sensor, Session
from basso.garage.store import Change, ConflictError, Garage
from basso.garage.tables import metadata
from basso.memory.memory import Memory
from garage_support import a_car


@pytest.fixture
def garage(tmp_path: Path) -> Garage:
    made = Garage(tmp_path / "garage")
    made.add("adding car 31", *a_car())
    return made


def contents(garage: Garage) -> dict[str, object]:
    return {r.id: r for kind in KINDS for r in garage.all(kind)}


def test_every_kind_of_record_comes_back_as_it_went_in(tmp_path: Path) -> None:
    records = a_car()
    with Garage(tmp_path) as first:
        first.add("adding", *records)
    with Garage(tmp_path) as again:
        assert contents(again) == {r.id: r for r in records}


def test_each_edit_can_be_taken_back_and_made_again(garage: Garage) -> None:
    before = contents(garage)
    build = garage.all(Build)[0]
    edit = garage.change("naming the pan", build, replace(build, pan="deep"))
    after = contents(garage)
    assert garage.undo(edit) == "naming the pan"
    assert contents(garage) == before
    garage.redo(edit)
    assert contents(garage) == after
    with pytest.raises(ConflictError):
        garage.redo(edit)


def test_a_car_goes_with_everything_of_it_and_comes_back_whole(garage: Garage) -> None:
    before = contents(garage)
    edit = garage.remove("removing car 31", garage.all(Car)[0])
    assert contents(garage) == {}
    garage.undo(edit)
    assert contents(garage) == before


def test_what_is_noted_of_a_build_goes_and_comes_back_with_it(garage: Garage) -> None:
    before = contents(garage)
    edit = garage.remove("removing", garage.all(Build)[0])
    assert not garage.all(Attachment) and not garage.all(Session)
    garage.undo(edit)
    assert contents(garage) == before


def test_an_undo_here_and_a_redo_there_show_as_a_change(garage: Garage) -> None:
    car = garage.all(Car)[0]
    first = garage.change("one", car, replace(car, note="one"))
    garage.undo(first)
    engine = garage.all(Engine)[0]
    second = garage.change("two", engine, replace(engine, note="two"))
    stamp = garage.stamp()
    garage.undo(second)
    garage.redo(first)
    assert garage.stamp() != stamp


def test_an_edit_is_all_or_nothing(garage: Garage) -> None:
    before = contents(garage)
    build, car = garage.all(Build)[0], garage.all(Car)[0]
    stale = Change(replace(car, note="never was"), replace(car, note="new"))
    with pytest.raises(ConflictError, match="car was changed in another window"):
        garage.edit("both", Change(build, replace(build, pan="deep")), stale)
    with pytest.raises(ConflictError):
        garage.add("a session of no build", Session(car=car.id, build="none", title="x", began="2026-01-01"))
    assert contents(garage) == before


def test_two_windows_see_each_other_and_do_not_overwrite(garage: Garage) -> None:
    with Garage(garage.folder) as other:
        stamp, build = other.stamp(), other.all(Build)[0]
        garage.change("here", build, replace(build, pan="deep"))
        assert other.stamp() != stamp
        with pytest.raises(ConflictError, match="changed in another window"):
            other.change("there", build, replace(build, pan="shallow"))
        assert other.all(Build)[0].pan == "deep"


def test_the_steps_lead_to_the_tables_as_they_are(garage: Garage) -> None:
    engine = sa.create_engine(f"sqlite:///{garage.file}")
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), metadata) == []


SAMPLES = Path(__file__).parent / "samples"


def garage_of_form(form: int, folder: Path) -> Path:
    """A garage as a step of the database left it."""
    folder.mkdir()
    with closing(sqlite3.connect(folder / FILE)) as connection:
        connection.executescript((SAMPLES / f"garage-{form:04d}.sql").read_text(encoding="utf-8"))
    return folder


@pytest.fixture
def old_folder(tmp_path: Path) -> Path:
    """A garage as the first step left it."""
    return garage_of_form(1, tmp_path / "old")


@pytest.mark.parametrize("form", range(1, FORM))
def test_a_garage_of_an_earlier_form_is_brought_up_with_a_backup_and_nothing_lost(form: int, tmp_path: Path) -> None:
    folder = garage_of_form(form, tmp_path / "old")
    with Garage(folder) as garage:
        (backup,) = garage.backups()
        assert backup.name.endswith(f"before-{FORM:04d}.sqlite")
        (car,), (engine,), (build,) = garage.all(Car), garage.all(Engine), garage.all(Build)
        history = car_history(garage, car)
        assert (engine.rod_mm, build.pan) == (0.05, "deep") and history.engine == engine
        assert len(history.sessions) == 3 and {history.card_of(s) for s in history.sessions} == {engine}
        # Kinds that came with later forms: sensors with the third, normals, floors and data sheets with the fourth.
        assert [s.since for s in history.sensors] == (["2026-04-01", "2026-05-01"] if form >= 3 else [])
        assert len(history.calibrations) == (form >= 3)
        fourth = (history.normals, history.floors, history.oil_sheets)
        assert [len(kind) for kind in fourth] == ([1, 1, 1] if form >= 4 else [0, 0, 0])
        assert engine.maker_port == ("gallery" if form >= 4 else "")
        assert (history.circuits, history.rulings) == ((), ())
        garage.add("a sensor", Sensor(car=car.id, name="P1"))
    with Garage(folder) as again, sa.create_engine(f"sqlite:///{again.file}").connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), metadata) == []


def test_the_edits_of_a_garage_of_the_first_form_can_still_be_taken_back(old_folder: Path) -> None:
    with Garage(old_folder) as garage:
        (build,), engine = garage.all(Build), garage.all(Engine)[0]
        history = car_history(garage, garage.all(Car)[0])
        assert (engine.engine, engine.since) == (engine.id, "")
        assert history.jobs[0].begun_on == {} and history.attachments[0].part == ""
        pan, spare, card, _ = garage.edits()
        assert (pan.label, spare.undone) == ("pan of Build 1", True)
        garage.undo(pan.id)
        garage.undo(card.id)
        garage.redo(spare.id)
        assert garage.all(Build) == [replace(build, pan="stock")]
        assert [(e.name, e.rod_mm, e.engine == e.id) for e in garage.all(Engine)] == [
            ("Two litre", None, True),
            ("Spare", None, True),
        ]


def test_an_old_garage_that_may_only_be_read_is_told_and_left(
    old_folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = (old_folder / FILE).read_bytes()

    def refuse(self: Path, *a: object, **k: object) -> None:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(Path, "touch", refuse)
    with pytest.raises(InputError, match="is of an earlier Basso and its folder may only be read"):
        Garage(old_folder)
    assert (old_folder / FILE).read_bytes() == before


def test_a_newer_database_is_refused_and_left_alone(garage: Garage) -> None:
    with closing(sqlite3.connect(garage.file)) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
        connection.commit()
    garage.close()
    before = garage.file.read_bytes()
    with pytest.raises(InputError, match=r"newer Basso .*9999"):
        Garage(garage.folder)
    assert garage.file.read_bytes() == before


@pytest.mark.parametrize("keep", [0.5, 0.97, 0.01])
def test_a_truncated_database_is_refused_with_the_backup_to_take(garage: Garage, keep: float) -> None:
    backup = garage.back_up()
    before = contents(garage)
    garage.close()
    whole = garage.file.read_bytes()
    damaged = whole[: int(keep * len(whole))]
    garage.file.write_bytes(damaged)
    with pytest.raises(InputError, match="is damaged and was left as it is; restore the backup of 20"):
        Garage(garage.folder)
    assert garage.file.read_bytes() == damaged
    aside = restore(garage.folder, backup)
    assert aside.read_bytes() == damaged
    with Garage(garage.folder) as again:
        assert contents(again) == before


def test_nothing_is_put_back_under_a_window_that_has_the_garage_open(garage: Garage) -> None:
    backup, before = garage.back_up(), contents(garage)
    other = subprocess.Popen(
        [
            sys.executable,
            "-c",
            "import sys; from pathlib import Path; from basso.garage.store import Garage\n"
            "g = Garage(Path(sys.argv[1])); print('open', flush=True); sys.stdin.read()",
            str(garage.folder),
        ],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert other.stdout is not None and other.stdout.readline() == "open\n"
    garage.close()
    with pytest.raises(InputError, match="is open in another window"):
        restore(garage.folder, backup)
    other.kill()  # however it ends, the garage is free then
    other.communicate()
    with Garage(garage.folder) as again:
        assert contents(again) == before
    restore(garage.folder, backup)


def test_a_damaged_backup_changes_nothing(garage: Garage, tmp_path: Path) -> None:
    before = contents(garage)
    bad = tmp_path / "bad.sqlite"
    bad.write_bytes(garage.back_up().read_bytes()[:5000])
    with pytest.raises(InputError, match="no whole backup"):
        restore(garage.folder, bad)
    assert contents(garage) == before


def test_one_backup_a_day_by_itself_and_twenty_in_all(garage: Garage) -> None:
    assert garage.back_up_daily() is not None
    assert garage.back_up_daily() is None
    for i in range(25):
        garage.back_up(f"x{i:02d}")
    assert len(garage.backups()) == 20


def test_a_folder_that_may_only_be_read(garage: Garage, monkeypatch: pytest.MonkeyPatch) -> None:
    before = contents(garage)
    garage.close()
    touch = Path.touch

    def refuse(self: Path, *a: object, **k: object) -> None:
        if self.name.startswith(".probe"):
            raise PermissionError(13, "Permission denied")
        touch(self)

    monkeypatch.setattr(Path, "touch", refuse)
    with Garage(garage.folder) as shown:
        assert shown.read_only and contents(shown) == before
        build = shown.all(Build)[0]
        with pytest.raises(InputError, match="may only be read"):
            shown.change("x", build, replace(build, pan="deep"))
    with pytest.raises(InputError, match="no garage can be kept there"):
        Garage(garage.folder / "new")


_EDITOR = """
import random, sys
from dataclasses import replace
from pathlib import Path
from basso.garage.store import Garage
from basso.garage.records import Build, Car, Session
from basso.garage.bundle import import_car
garage = Garage(Path(sys.argv[1])); rng = random.Random(int(sys.argv[2]))
car, build = garage.all(Car)[0], garage.all(Build)[0]
for i in range(200):
    if i % 20 == 7:
        taken, _ = import_car(garage, Path(sys.argv[3]), f"Copy {i}")
        print("car", taken.id, flush=True)
    elif rng.random() < 0.6:
        s = Session(car=car.id, build=build.id, title=f"Stint {i}", began="2026-05-01")
        garage.add("adding", s)
        print("session", s.id, flush=True)
    else:
        new = replace(build, note=f"note {i}")
        garage.change("noting", build, new)
        build = new
        print("note", i, flush=True)
"""


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_killed_at_any_moment_it_loses_no_edit_it_told_of(garage: Garage, seed: int, tmp_path: Path) -> None:
    from basso.garage.bundle import export_car

    export_car(garage, garage.all(Car)[0], tmp_path / "car.zip", Memory.own().decisions)
    garage.close()
    rng = random.Random(seed)
    arguments = [sys.executable, "-c", _EDITOR, str(garage.folder), str(seed), str(tmp_path / "car.zip")]
    told: list[tuple[str, str]] = []
    with subprocess.Popen(arguments, stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        stop_after = rng.randint(5, 190)
        for line in child.stdout:
            kind, what = line.split()
            told.append((kind, what))
            if len(told) == stop_after:
                os.kill(child.pid, signal.SIGKILL)
        child.wait()
    assert child.returncode == -signal.SIGKILL
    with Garage(garage.folder) as after:
        with closing(sqlite3.connect(after.file)) as connection:
            assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
        sessions, cars = {s.id for s in after.all(Session)}, {c.id for c in after.all(Car)}
        notes = [int(what) for kind, what in told if kind == "note"]
        assert all(what in sessions for kind, what in told if kind == "session")
        assert all(what in cars for kind, what in told if kind == "car")
        if notes:
            build = next(b for b in after.all(Build) if b.name == "Build 1" and b.note)
            assert int(build.note.split()[1]) >= notes[-1]
        # An import that was cut off left nothing of itself: every car has its engine and build.
        assert len(after.all(Engine)) == len(after.all(Build)) == len(cars)


@settings(max_examples=15, deadline=None)
@given(data=st.data())
def test_any_chain_of_edits_undone_in_reverse_leads_back(
    data: st.DataObject, tmp_path_factory: pytest.TempPathFactory
) -> None:
    with Garage(tmp_path_factory.mktemp("garage")) as garage:
        garage.add("adding", *a_car(1))
        states, edits = [contents(garage)], []
        for i in range(data.draw(st.integers(1, 8))):
            rows = [r for k in (Build, Session) for r in garage.all(k)]
            what = data.draw(st.sampled_from(["add", "change", "remove"])) if rows else "add"
            cars, builds = garage.all(Car), garage.all(Build)
            if what == "add":
                car = cars[0]
                edits.append(garage.add("add", Build(car=car.id, name=f"B{i}", since="2026-05-01")))
            elif what == "change":
                r = data.draw(st.sampled_from(rows))
                edits.append(garage.change("change", r, replace(r, note=data.draw(st.text(max_size=8)))))  # type: ignore[call-arg]
            elif builds:
                edits.append(garage.remove("remove", data.draw(st.sampled_from(builds))))
            states.append(contents(garage))
        for edit, state in zip(reversed(edits), reversed(states[:-1]), strict=False):
            garage.undo(edit)
            assert contents(garage) == state
