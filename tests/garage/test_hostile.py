"""A stranger's bundle, and work that was stopped dead: nothing outside is touched, nothing is half kept, the true
reason is said."""

from __future__ import annotations

import hashlib
import json
import os
import sqlite3
import stat
import subprocess
import sys
import zipfile
from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import replace
from pathlib import Path

import pytest

from basso.car.history import car_history
from basso.errors import InputError
from basso.garage import backups, bundle
from basso.garage.backups import backups_in, restore
from basso.garage.bundle import accept_car, export_car, import_car
from basso.garage.place import FILE
from basso.garage.records import Arrival, Attachment, Car, Session
from basso.garage.store import Garage
from basso.memory.decisions import Decision
from basso.memory.memory import Memory
from basso.workflow import known_by_garage
from garage_support import a_car

SAMPLES = b"PAR1 made up PAR1"
PHOTO = b"\x89PNG made up"


@pytest.fixture
def sent(tmp_path: Path) -> Path:
    """A bundle with samples and an attached photo, unpacked into parts by :func:`rewritten`."""
    with Garage(tmp_path / "from") as garage:
        garage.add("adding", *a_car())
        car = garage.all(Car)[0]
        kept = garage.files.keep_file(PHOTO, ".PNG")
        garage.add(
            "attaching", Attachment(car=car.id, about=car.id, day="2026-05-01", file_name="photo.png", file_hash=kept)
        )
        garage.files.keep_samples("hash0", SAMPLES)
        export_car(garage, car, tmp_path / "car.basso.zip", Memory.own().decisions)
    return tmp_path / "car.basso.zip"


def rewritten(sent: Path, change: Callable[[dict[str, bytes]], None], listed: bool = True) -> Path:
    with zipfile.ZipFile(sent) as zipped:
        parts = {n: zipped.read(n) for n in zipped.namelist()}
    change(parts)
    if listed:
        head = json.loads(parts["bundle.json"])
        named = (n for n in parts if n not in ("bundle.json", "README.txt"))
        head["contents"] = {n: hashlib.sha256(parts[n]).hexdigest() for n in named}
        parts["bundle.json"] = json.dumps(head).encode()
    path = sent.with_name("crafted.zip")
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as zipped:
        for name, data in parts.items():
            zipped.writestr(name, data)
    return path


def rows(part: str, **changes: object) -> Callable[[dict[str, bytes]], None]:
    def apply(parts: dict[str, bytes]) -> None:
        found = json.loads(parts[part])
        found[-1].update(changes)
        parts[part] = json.dumps(found).encode()

    return apply


def part(name: str, data: bytes) -> Callable[[dict[str, bytes]], None]:
    return lambda parts: parts.update({name: data})


def listing(folder: Path) -> dict[str, bytes]:
    """Every file of a garage with its content, but for the database's own, which :meth:`Garage.stamp` stands for."""
    return {
        str(p.relative_to(folder)): p.read_bytes()
        for p in sorted(folder.rglob("*"))
        if p.is_file() and not p.name.startswith((FILE, ".in-use"))
    }


REFUSED: dict[str, tuple[Callable[[dict[str, bytes]], None], str]] = {
    "an absolute path for a file": (
        rows("records/attachments.json", file_hash="/etc/passwd"),
        r"'file_hash' is '/etc/passwd', and should be a fingerprint",
    ),
    "a way out for a file": (
        rows("records/attachments.json", file_hash="../garage.sqlite"),
        r"should be a fingerprint",
    ),
    "a way out for a log": (
        rows("records/sessions.json", log_hash="../../secret"),
        r"'log_hash' is '../../secret', and should be a fingerprint",
    ),
    "a sample by a path": (part("samples/..", b"x"), r"has no place in a bundle"),
    "a sample in a folder of its own": (part("samples/a/b.parquet", b"x"), r"has no place in a bundle"),
    "a file that is not what it is called": (part(f"files/{'0' * 64}.png", b"x"), r"is not what its name says"),
    "a file by another name": (part("files/photo.png", b"x"), r"has no place in a bundle"),
    "an unknown list": (part("records/secrets.json", b"[]"), r"has no place in a bundle"),
    "lists in lists": (part("records/jobs.json", b"[" * 100_000), r"jobs\.json: is nested deeper than any record"),
    "objects in objects": (
        rows("records/jobs.json", entries=json.loads('{"a":' * 40 + "1" + "}" * 40)),
        r"jobs\.json: is nested deeper",
    ),
    "a number without end": (part("records/oil.json", b"[1" + b"0" * 100_000 + b"]"), r"oil\.json: is no JSON"),
    "a number too large": (
        rows("records/sessions.json", laps=10**30),
        r"sessions\.json: is no JSON \(a number is too large\)",
    ),
    "a number beyond reason": (
        rows("records/sessions.json", air_c=1e300),
        r"'air_c' is '1e\+300', and should be a number",
    ),
    "no number": (part("records/oil.json", b'[{"volume_l": NaN}]'), r"NaN is no number"),
    "decisions about a path": (
        part("records/decisions.json", b'{"../x": {"refused": [], "edited": []}}'),
        r"is no list of decisions",
    ),
    "an endless correction": (
        part("records/decisions.json", b'{"a": {"refused": [], "edited": [["P", "offset", 1e999]]}}'),
        r"decisions\.json: is no",
    ),
}


@pytest.mark.parametrize("what", REFUSED)
def test_what_is_refused_changes_nothing_at_all(
    what: str, sent: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    change, says = REFUSED[what]
    crafted = rewritten(sent, change)
    with Garage(tmp_path / "to") as garage:
        garage.add("adding", *a_car(1))
        before = listing(tmp_path / "to"), garage.stamp()
        with pytest.raises(InputError, match=says) as told:
            import_car(garage, crafted)
        assert (listing(tmp_path / "to"), garage.stamp()) == before
        assert crafted.name in str(told.value) and "\n" not in str(told.value)
    assert not (tmp_path / "data").exists()


def test_a_bundle_that_fails_at_the_last_step_leaves_no_file(
    sent: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object) -> int:
        raise InputError("the disk is full")

    with Garage(tmp_path / "to") as garage:
        monkeypatch.setattr(garage, "edit", fail)
        with pytest.raises(InputError, match="the disk is full"):
            import_car(garage, sent)
        assert listing(tmp_path / "to") == {}


def test_bombs_in_a_bundle_are_refused_before_they_go_off(
    sent: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with Garage(tmp_path / "to") as garage:
        bomb = rewritten(sent, part(f"samples/{'a' * 40}.parquet", bytes(40_000_000)))
        with pytest.raises(InputError, match=r"unpacks to 40 MB, which no part of a car does"):
            import_car(garage, bomb)
        monkeypatch.setattr(bundle, "MOST_BUNDLE_BYTES", 1000)
        with pytest.raises(InputError, match=r"unpacks to more than 0 MB"):
            import_car(garage, sent)
        monkeypatch.undo()
        monkeypatch.setattr(bundle, "MOST_RECORDS_BYTES", 100)
        with pytest.raises(InputError, match="of records; it was not opened"):
            import_car(garage, sent)
        assert listing(tmp_path / "to") == {} and garage.all(Car) == []


def test_texts_come_in_without_what_cannot_be_seen(sent: Path, tmp_path: Path) -> None:
    crafted = rewritten(sent, rows("records/cars.json", name="Car\x1b[2J\u202e 31\ud800", note="two\nlines\x00"))
    with Garage(tmp_path / "to") as garage:
        car, _ = import_car(garage, crafted)
        assert (car.name, car.note) == ("Car [2J  31 ", "two\nlines ") and garage.all(Car) == [car]


def test_what_a_record_names_is_never_a_path_out_of_the_garage(tmp_path: Path) -> None:
    secret = tmp_path / "secret.txt"
    secret.write_text("secret")
    with Garage(tmp_path / "garage") as garage:
        garage.add("adding", *a_car(1))
        car, session = garage.all(Car)[0], garage.all(Session)[0]
        # As an attacked garage of an earlier Basso may hold it.
        planted = Attachment(car=car.id, about=car.id, day="2026-05-01", file_name="photo.jpg", file_hash=str(secret))
        garage.add("planting", planted)
        garage.change("planting", session, replace(session, log_hash="../../secret"))
        (tmp_path / "garage" / "files").mkdir()
        link = tmp_path / "garage" / "files" / ("a" * 64 + ".txt")
        link.symlink_to(secret)
        for name in (str(secret), "../../secret.txt", link.name):
            assert not garage.files.kept_file(name).exists()
        assert not garage.files.samples_file("../../secret").exists()
        with pytest.raises(InputError, match="is no fingerprint"):
            garage.files.keep_samples("../x", b"x")
        export_car(garage, car, tmp_path / "out.zip", Memory.own().decisions)
    with zipfile.ZipFile(tmp_path / "out.zip") as zipped:
        assert not any(zipped.read(n) == b"secret" for n in zipped.namelist())
        assert not any(n.startswith(("files/", "samples/")) for n in zipped.namelist())


def test_a_car_from_elsewhere_acts_on_nothing_before_it_is_accepted(
    sent: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from basso import workflow
    from basso.recording.recording import Recording
    from support import judged_scenario

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    own: Recording = judged_scenario("truth-healthy", 101).analysis.recording
    log = own.content_hash or "f" * 40
    own = replace(own, content_hash=log)
    decided = json.dumps({log: {"refused": [["Oil pressure", "offset"]], "edited": []}}).encode()

    def planted(parts: dict[str, bytes]) -> None:
        rows("records/sessions.json", log_hash=log)(parts)
        parts["records/decisions.json"] = decided

    crafted = rewritten(sent, planted)
    folder = tmp_path / "to"
    with Garage(folder) as garage:
        car, _ = import_car(garage, crafted)
        history = car_history(garage, car)
        assert history.arrival is not None and history.arrival.source == "crafted.zip"
    assert Memory.own().decisions.of(log) == Decision() and known_by_garage(folder, [own], Memory.own()) == {}
    with Garage(folder) as garage:
        edit = accept_car(garage, car, Memory.own().decisions)
        assert edit is not None and garage.all(Arrival) == []
    assert Memory.own().decisions.of(log).refused == {("Oil pressure", "offset")} and set(
        workflow.known_by_garage(folder, [own], Memory.own())
    ) == {log}


def test_a_strangers_samples_never_stand_for_a_log_of_ones_own(sent: Path, tmp_path: Path) -> None:
    with Garage(tmp_path / "to") as garage:
        garage.add("adding", *a_car(1))  # which has a session of hash0 too
        import_car(garage, sent)
        assert not garage.files.samples_file("hash0").exists()
        garage.files.keep_samples("hash0", b"my own")
        assert garage.files.samples_file("hash0").read_bytes() == b"my own"


# Stopped dead


def test_what_an_interrupted_import_left_is_swept_and_counted(sent: Path, tmp_path: Path) -> None:
    folder = tmp_path / "to"
    with Garage(folder) as garage:
        import_car(garage, sent)
        edit = garage.edits()[0]
        garage.undo(edit.id)  # its files may be wanted again
    (folder / "samples" / "deadbeefdeadbeef.parquet").write_bytes(b"x")
    (folder / "files" / ("b" * 64 + ".png")).write_bytes(b"x")
    (folder / "files" / "my own notes.txt").write_text("kept")
    (folder / ".incoming-abc").mkdir()
    (folder / ".incoming-abc" / "1").write_bytes(b"x")
    (folder / "backups").mkdir(exist_ok=True)
    (folder / "backups" / "garage-2026-01-01-000000.sqlite.99.part").write_bytes(b"x")
    with Garage(folder) as first, Garage(folder) as second:
        assert first.news == ("2 files that an interrupted import or export left in the garage's folder were removed.",)
        assert second.news == ()
        first.redo(edit.id)
        assert first.files.samples_file("hash0").read_bytes() == SAMPLES
    left = sorted(p.name for p in folder.rglob("*") if p.is_file() and not p.name.startswith(FILE))
    assert left == sorted([".in-use", "hash0.parquet", "my own notes.txt", f"{hashlib.sha256(PHOTO).hexdigest()}.png"])


def test_nothing_is_swept_while_another_window_works(tmp_path: Path) -> None:
    with Garage(tmp_path) as garage:
        garage.files.keep_samples("deadbeefdeadbeef", b"about to be named")
        with Garage(tmp_path) as second:
            assert second.news == () and garage.files.samples_file("deadbeefdeadbeef").exists()


@pytest.mark.parametrize("step", range(5))
def test_a_restore_stopped_at_any_step_is_finished_by_the_next_start(
    step: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with Garage(tmp_path) as garage:
        garage.add("adding", *a_car(1))
        backup = garage.back_up()
        garage.add("another", Car(name="Car 32"))
    calls = 0

    class Killed(BaseException):
        pass

    def counted(real: Callable[..., object]) -> Callable[..., object]:
        def call(*arguments: object, **named: object) -> object:
            nonlocal calls
            calls += 1
            if calls == step + 1:
                raise Killed
            return real(*arguments, **named)

        return call

    monkeypatch.setattr(backups, "put_whole", counted(backups.put_whole))
    monkeypatch.setattr(os, "link", counted(os.link))
    monkeypatch.setattr(Path, "replace", counted(Path.replace))
    monkeypatch.setattr(Path, "unlink", counted(Path.unlink))
    with suppress(Killed):
        restore(tmp_path, backup)
    monkeypatch.undo()
    assert (tmp_path / FILE).exists()
    with Garage(tmp_path) as garage:
        names = [c.name for c in garage.all(Car)]
        assert names in (["Car 31"], ["Car 31", "Car 32"])
        if garage.news:
            assert "was being put back when Basso was stopped; that is finished now" in garage.news[0] and names == [
                "Car 31"
            ]
    aside = list(tmp_path.glob("garage-before-restore-*.sqlite"))
    if names == ["Car 31"]:
        with closing(sqlite3.connect(aside[0])) as former:
            assert former.execute("SELECT count(*) FROM cars").fetchone() == (2,)
    assert not [p.name for p in tmp_path.glob(".*") if p.name != ".in-use"]


def test_restoring_twice_within_a_second_keeps_both_former_databases(tmp_path: Path) -> None:
    with Garage(tmp_path) as garage:
        garage.add("adding", *a_car(1))
        backup = garage.back_up()
        assert garage.back_up() != backup
        garage.add("another", Car(name="Car 32"))
    first = restore(tmp_path, backup)
    second = restore(tmp_path, first)
    assert first != second and first.exists() and second.exists()
    with Garage(tmp_path) as garage:
        assert [c.name for c in garage.all(Car)] == ["Car 31", "Car 32"]
    third = restore(tmp_path, backups_in(tmp_path)[-1])
    assert len({first, second, third}) == 3


def test_a_database_with_a_strangers_triggers_is_not_put_back(tmp_path: Path) -> None:
    with Garage(tmp_path) as garage:
        garage.add("adding", *a_car(1))
        backup = garage.back_up()
    with closing(sqlite3.connect(backup)) as connection:
        connection.execute("CREATE TRIGGER t AFTER INSERT ON cars BEGIN DELETE FROM sessions; END")
        connection.commit()
    with pytest.raises(InputError, match="is no whole backup"):
        restore(tmp_path, backup)


# The true reason


def test_a_busy_garage_is_called_busy_not_damaged(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with Garage(tmp_path) as garage:
        garage.add("adding", *a_car(1))
    monkeypatch.setattr("basso.garage.database._PATIENCE_MS", 50)
    with closing(sqlite3.connect(tmp_path / FILE, isolation_level=None)) as other:
        other.execute("PRAGMA locking_mode=EXCLUSIVE")
        other.execute("BEGIN EXCLUSIVE")
        with pytest.raises(InputError, match="is in use by another program just now") as told:
            Garage(tmp_path)
        assert "damaged" not in str(told.value) and "backup" not in str(told.value)
    with Garage(tmp_path) as garage:
        assert len(garage.all(Car)) == 1


def test_a_hot_journal_of_the_first_start_is_rolled_back(tmp_path: Path) -> None:
    code = (
        "import os, sqlite3, sys\n"
        "c = sqlite3.connect(sys.argv[1], isolation_level=None)\n"
        "c.execute('PRAGMA cache_size=1'); c.execute('BEGIN IMMEDIATE'); c.execute('CREATE TABLE half (x)')\n"
        "for i in range(2000): c.execute('INSERT INTO half VALUES (?)', ('x' * 500,))\n"
        "os.kill(os.getpid(), 9)"
    )
    subprocess.run([sys.executable, "-c", code, str(tmp_path / FILE)], check=False)
    assert (tmp_path / f"{FILE}-journal").stat().st_size > 0
    with Garage(tmp_path) as garage:
        garage.add("adding", *a_car(1))
    with Garage(tmp_path) as garage:
        assert len(garage.all(Car)) == 1


def test_a_full_disk_is_called_full(tmp_path: Path) -> None:
    with Garage(tmp_path) as garage:
        garage.add("adding", *a_car(1))
    code = (
        "import resource, sys; from pathlib import Path; from dataclasses import replace\n"
        "from basso.garage.store import Garage; from basso.garage.records import Car; from basso.errors "
        "import InputError\n"
        "import signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[2]), int(sys.argv[2])))\n"
        "try:\n"
        "    with Garage(Path(sys.argv[1])) as g:\n"
        "        car = g.all(Car)[0] if g.all(Car) else None\n"
        "        g.add('much', *(Car(name='x' * 4000) for _ in range(300)))\n"
        "except InputError as error:\n"
        "    print(error)\n"
    )
    for folder, limit in ((tmp_path, 300_000), (tmp_path / "new", 20_000)):
        done = subprocess.run(
            [sys.executable, "-c", code, str(folder), str(limit)], capture_output=True, text=True, check=False
        )
        assert done.stderr == "" and "damaged" not in done.stdout and done.stdout.count("\n") == 1, done
        assert "disk" in done.stdout
    with Garage(tmp_path) as garage:
        assert [c.name for c in garage.all(Car)] == ["Car 31"]


def test_a_pipe_in_the_place_of_a_garage_is_not_waited_for(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / FILE)
    with pytest.raises(InputError, match="is a pipe, a device or a folder, not a garage"):
        Garage(tmp_path)
    assert stat.S_ISFIFO((tmp_path / FILE).stat().st_mode)
