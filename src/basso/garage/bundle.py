"""A car with its whole history as one file, and back: a zip of JSON and Parquet that anything can open.

::

    README.txt            what this is, for people
    bundle.json           {"schema": "basso.bundle/9", "car": name, "written": when, "contents": {path: SHA-256}}
    records/decisions.json  what was decided about the corrections of each log, by its fingerprint; if anything was
    records/NAME.json     a list of records of one kind; their fields stand in basso/garage/records.py
    samples/HASH.parquet  the samples of a session's log, named by the fingerprint of the log
    files/NAME            attached photos and papers, named by the SHA-256 of their content

A bundle comes from a stranger. Everything is checked before anything is taken in, in bounded memory; it comes in whole
or not at all; names in it never become paths; and what came from elsewhere acts on nothing before the user accepts it.
"""

from __future__ import annotations

import hashlib
import json
import lzma
import math
import shutil
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import date, datetime
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

from basso.errors import InputError
from basso.files import open_plain, writing_whole
from basso.garage.forms import FORM, brought_up
from basso.garage.records import (
    BY_TABLE,
    FILE_HASH,
    KINDS,
    LOG_HASH,
    Accumulator,
    Alarm,
    Arrival,
    Attachment,
    Build,
    Car,
    Circuit,
    Normal,
    Pan,
    Record,
    Session,
    new_id,
)
from basso.garage.store import Change, Garage
from basso.limits import (
    FREE_UNPACKED_BYTES,
    MOST_BUNDLE_BYTES,
    MOST_BUNDLE_PART_BYTES,
    MOST_BUNDLE_PARTS,
    MOST_RECORDS_BYTES,
    MOST_UNPACKED_RATIO,
)
from basso.memory.decisions import Decision, Decisions
from basso.plain_text import plain, plain_lines

SCHEMA = f"basso.bundle/{FORM}"
_FORMS = {f"basso.bundle/{form}": form for form in range(1, FORM + 1)}
_DECISIONS = "records/decisions.json"
_PIECE_BYTES = 1 << 20
_DEEPEST = 30
_DAMAGE = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    lzma.LZMAError,
    struct.error,
    NotImplementedError,
    RuntimeError,
    EOFError,
    OSError,
    ValueError,
    OverflowError,
    KeyError,
    IndexError,
    AttributeError,
)
"""What a damaged zip raises, by where the damage lies."""
_README = """A car's history, written by Basso. Open formats throughout: records/*.json are lists of records,
samples/*.parquet the
logs (open them with any Parquet reader), files/ holds photos and papers. bundle.json lists the SHA-256 of every part; a
part that was changed by hand is refused until its entry there is changed too.
"""


def export_car(garage: Garage, car: Car, path: Path, decisions: Decisions) -> None:
    """Write a car with its whole history.

    Raises:
        InputError: the file cannot be written.
    """
    rows = garage.of_car(car.id)
    arrivals = rows.pop(Arrival.table)
    records: dict[str, bytes] = {
        f"records/{name}.json": _json([r.as_plain() for r in records]) for name, records in rows.items()
    }
    kept: dict[str, Path] = {}
    decided: dict[str, Any] = {}
    for arrival in arrivals:
        assert isinstance(arrival, Arrival)
        decided |= arrival.decisions
    for session in rows[Session.table]:
        assert isinstance(session, Session)
        if session.log_hash and (file := garage.files.samples_file(session.log_hash)).is_file():
            kept[f"samples/{file.name}"] = file
        if session.log_hash and (decision := decisions.of(session.log_hash)) != Decision():
            decided[session.log_hash] = decision.as_plain()
    if decided:
        records[_DECISIONS] = _json(decided)
    for attachment in rows[Attachment.table]:
        assert isinstance(attachment, Attachment)
        if attachment.file_hash and (file := garage.files.kept_file(attachment.file_hash)).is_file():
            kept[f"files/{file.name}"] = file
    sums = {name: hashlib.sha256(data).hexdigest() for name, data in records.items()}
    with writing_whole(path) as out, zipfile.ZipFile(out, "w") as zipped:
        for name, file in kept.items():
            digest = hashlib.sha256()
            packed = zipfile.ZIP_STORED if name.endswith(".parquet") else zipfile.ZIP_DEFLATED
            about = zipfile.ZipInfo(name, datetime.now().timetuple()[:6])
            about.compress_type = packed
            with open_plain(file) as source, zipped.open(about, "w", force_zip64=True) as part:
                while piece := source.read(_PIECE_BYTES):
                    digest.update(piece)
                    part.write(piece)
            sums[name] = digest.hexdigest()
        head = {
            "schema": SCHEMA,
            "car": car.name,
            "written": datetime.now().isoformat(timespec="seconds"),
            "contents": dict(sorted(sums.items())),
        }
        for name, data in {"README.txt": _README.encode(), "bundle.json": _json(head), **records}.items():
            zipped.writestr(name, data, zipfile.ZIP_DEFLATED)


def import_car(garage: Garage, path: Path, name: str = "") -> tuple[Car, int | None]:
    """Take a car in from a bundle; it is shown, and acts on nothing until it is accepted (:func:`accept_car`).

    Args:
        garage: where to.
        path: the bundle.
        name: take it in as another car of this name, beside one that is there already.

    Returns:
        The car, and the edit that :meth:`Garage.undo` takes back; None when it was here already, just like this.

    Raises:
        InputError: the bundle is damaged, was changed by hand so that it no longer fits, or its car is here already and
            differs. Nothing was taken in.
    """
    if garage.read_only:
        raise InputError(f"{garage.folder}: may only be read, so nothing can be taken in; free the folder.")
    with _unpacked(garage, path) as parts:
        records, decided = _records(path, parts), _decided(path, parts)
        car = records[0]
        assert isinstance(car, Car)
        if name:
            records = _renamed(records, car, name)
            car = records[0]
            assert isinstance(car, Car)
        rows = garage.of_car(car.id)
        arrived = rows.pop(Arrival.table)
        here = [r for own in rows.values() for r in own]
        if here:
            if {r.id: r for r in here} == {r.id: r for r in records}:
                return car, None
            raise InputError(
                f"{path}: {plain(car.name, 60)} is in this garage already and differs; take it in under another name "
                "(--as NAME), or remove the one that is here."
            )
        assert not arrived
        arrival = Arrival(
            car=car.id,
            day=date.today().isoformat(),
            source=plain(path.name, 80),
            decisions={log: d.as_plain() for log, d in decided.items()},
        )
        return car, _take_in(garage, parts, car, [*records, arrival])


def _take_in(garage: Garage, parts: _Parts, car: Car, records: list[Record]) -> int:
    """Put the files in place, then make the edit; where that fails the files go again."""
    # What this garage has its own session of is read from its own samples, never from a stranger's.
    own = {s.log_hash for s in garage.all(Session)}
    made: list[Path] = []
    try:
        for part, file in parts.files.items():
            at = PurePosixPath(part)
            target = garage.folder / at.parts[0] / at.name
            if target.exists() or (at.parts[0] == "samples" and at.stem in own):
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            made.append(target)
            file.replace(target)
        return garage.edit(f"importing {car.name}", *(Change(None, r) for r in records))
    except BaseException as error:
        for target in made:
            target.unlink(missing_ok=True)
        if isinstance(error, OSError):
            raise InputError(
                f"{garage.folder}: cannot be written ({error.strerror}); free the disk. Nothing was taken in."
            ) from None
        raise


def accept_car(garage: Garage, car: Car, decisions: Decisions) -> int | None:
    """Let a car that came from elsewhere act like one's own: its cards, oils, floors and saved normals, and what was
    decided about its logs where nothing was decided here.

    Returns:
        The edit, or None where there is nothing to accept.
    """
    arrivals = garage.all(Arrival, car.id)
    if not arrivals:
        return None
    edit = garage.remove(f"accepting {car.name}", *arrivals)
    for arrival in arrivals:
        for log, kept in arrival.decisions.items():
            if decisions.of(log) == Decision():  # what was decided here goes before what was decided there
                decisions.keep(log, Decision.from_plain(kept))
    return edit


# Looking into a bundle


@dataclass(frozen=True, slots=True)
class _Parts:
    """A bundle taken apart: the form of its records, its lists of records, its files in a folder of their own."""

    form: int
    records: Mapping[str, bytes]
    files: Mapping[str, Path]


@contextmanager
def _unpacked(garage: Garage, path: Path) -> Iterator[_Parts]:
    """The parts of a bundle, each as listed, the files in a folder inside the garage that goes afterwards."""
    try:
        folder = Path(tempfile.mkdtemp(prefix=".incoming-", dir=garage.folder))
    except OSError as error:
        raise InputError(f"{garage.folder}: cannot be written ({error.strerror}); free the disk.") from None
    try:
        yield _checked_parts(path, folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _checked_parts(path: Path, folder: Path) -> _Parts:
    try:
        with open_plain(path) as stream, zipfile.ZipFile(stream) as zipped:
            names = _listed(path, zipped)
            head = _loaded(path, "bundle.json", _small(path, zipped, names["bundle.json"]))
            said = head.get("schema") if isinstance(head, dict) else None
            form = _FORMS.get(said) if isinstance(said, str) else None
            contents = head.get("contents") if isinstance(head, dict) else None
            if form is None:
                raise InputError(
                    f"{path}, bundle.json: is of the form {_quoted(said)}, not '{SCHEMA}'; open it with a newer Basso."
                )
            if not isinstance(contents, dict):
                raise InputError(f"{path}, bundle.json: lists no contents; export the car again.")
            records: dict[str, bytes] = {}
            files: dict[str, Path] = {}
            for number, (name, digest) in enumerate(contents.items()):
                if name not in names:
                    raise InputError(f"{path}: the part {plain(name, 80)} is missing; export the car again.")
                if not _has_place(name):
                    raise InputError(f"{path}: the part {plain(name, 80)} has no place in a bundle; remove it.")
                if name.startswith("records/"):
                    records[name] = _small(path, zipped, names[name])
                    found = hashlib.sha256(records[name]).hexdigest()
                else:
                    files[name] = folder / str(number)
                    with files[name].open("wb") as out:
                        found = _copied(zipped, names[name], out)
                if found != digest:
                    raise InputError(
                        f"{path}: the part {name} was changed or damaged since it was written; export "
                        "the car again, or put its "
                        "SHA-256 into bundle.json if the change was meant."
                    )
                if name.startswith("files/") and PurePosixPath(name).name[:64] != found:
                    raise InputError(f"{path}: the part {name} is not what its name says; remove it.")
            return _Parts(form, records, files)
    except InputError:
        raise
    except MemoryError:
        raise InputError(f"{path}: asks for more memory than a bundle can need; export the car again.") from None
    except _DAMAGE as error:
        # The library's own words may hold the damaged bytes; they are not for people.
        why = error.strerror if isinstance(error, OSError) and error.strerror else type(error).__name__
        raise InputError(f"{path}: is no bundle, or a damaged one ({why}); export the car again.") from None


def _listed(path: Path, zipped: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    """What the zip says it holds, refused where that is more than a bundle can be."""
    infos = [i for i in zipped.infolist() if not i.is_dir()]
    names = {i.filename: i for i in infos}
    if len(infos) > MOST_BUNDLE_PARTS or sum(i.file_size for i in infos) > MOST_BUNDLE_BYTES:
        raise InputError(
            f"{path}: unpacks to more than {MOST_BUNDLE_BYTES // 1_000_000} MB or {MOST_BUNDLE_PARTS:,} "
            "parts and was not "
            "opened; export the car without its largest logs."
        )
    if "bundle.json" not in names:
        raise InputError(f"{path}: is no bundle of a car (it has no bundle.json); choose a file that Basso wrote.")
    for info in infos:
        proportion = info.file_size > FREE_UNPACKED_BYTES and info.file_size > MOST_UNPACKED_RATIO * info.compress_size
        if info.file_size > MOST_BUNDLE_PART_BYTES or proportion:
            raise InputError(
                f"{path}: the part {plain(info.filename, 80)} unpacks to {info.file_size / 1e6:.0f} MB, "
                "which no part of a car "
                "does; it was not opened."
            )
    return names


def _small(path: Path, zipped: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    if info.file_size > MOST_RECORDS_BYTES:
        raise InputError(
            f"{path}: the part {plain(info.filename, 80)} holds more than "
            f"{MOST_RECORDS_BYTES // 1_000_000} MB of records; "
            "it was not opened."
        )
    return zipped.read(info)


def _copied(zipped: zipfile.ZipFile, info: zipfile.ZipInfo, out: BinaryIO) -> str:
    """Unpack a part in steps; its SHA-256."""
    digest = hashlib.sha256()
    with zipped.open(info) as source:
        while piece := source.read(_PIECE_BYTES):
            digest.update(piece)
            out.write(piece)
    return digest.hexdigest()


def _has_place(name: str) -> bool:
    """True for a part that a bundle has, named as it names them."""
    at = PurePosixPath(name)
    if len(at.parts) != 2 or at.as_posix() != name:
        return False
    folder, file = at.parts
    if folder == "records":
        return name == _DECISIONS or (at.suffix == ".json" and at.stem in BY_TABLE)
    if folder == "samples":
        return at.suffix == ".parquet" and bool(LOG_HASH.fullmatch(at.stem))
    return folder == "files" and bool(FILE_HASH.fullmatch(file))


def _decided(path: Path, parts: _Parts) -> dict[str, Decision]:
    """What was decided about the logs' corrections, by their fingerprints."""
    plain_values = _loaded(path, _DECISIONS, parts.records[_DECISIONS]) if _DECISIONS in parts.records else {}
    try:
        found = {str(log): Decision.from_plain(d) for log, d in plain_values.items()}
    except (ValueError, TypeError, KeyError, AttributeError, OverflowError):
        raise InputError(f"{path}, {_DECISIONS}: is no list of decisions; correct or remove it.") from None
    for log, decision in found.items():
        if not LOG_HASH.fullmatch(log) or not all(math.isfinite(v) for _, _, v in decision.edited):
            raise InputError(f"{path}, {_DECISIONS}: is no list of decisions; correct or remove it.")
    return found


def _records(path: Path, parts: _Parts) -> list[Record]:
    """The records of a bundle, the car first; they hold together."""
    records: list[Record] = []
    for kind in KINDS:
        part = f"records/{kind.table}.json"
        rows = _loaded(path, part, parts.records[part]) if part in parts.records and kind is not Arrival else []
        if not isinstance(rows, list) or not all(isinstance(r, dict) for r in rows):
            raise InputError(f"{path}, {part}: should hold a list of objects; correct it.")
        for row in rows:
            try:
                records.append(kind.from_plain(brought_up(kind.table, row, parts.form)))
            except InputError as error:
                raise InputError(f"{path}, {part}: {error}") from None
    cars = [r for r in records if isinstance(r, Car)]
    if len(cars) != 1:
        raise InputError(f"{path}, records/cars.json: holds {len(cars)} cars, and should hold one; correct it.")
    builds = {r.id for r in records if isinstance(r, Build)}
    seen: set[str] = set()
    for r in records:
        build, shown = getattr(r, "build", ""), plain(r.id, 60)
        if r.id in seen:
            raise InputError(f"{path}: two records have the id {shown}; correct one of them.")
        seen.add(r.id)
        if not isinstance(r, Car) and getattr(r, "car", "") != cars[0].id:
            raise InputError(f"{path}: the {r.noun} {shown} belongs to another car; correct it.")
        if (build or isinstance(r, Session | Normal | Pan | Accumulator | Alarm)) and build not in builds:
            raise InputError(
                f"{path}: the {r.noun} {shown} names a build that is not in the bundle ({_quoted(build)}); correct it."
            )
    return records


def _renamed(records: list[Record], car: Car, name: str) -> list[Record]:
    """The same as another car: new identifiers throughout."""
    fresh = {i: new_id() for r in records for i in (r.id, getattr(r, "engine", ""), getattr(r, "sensor", "")) if i}
    renamed: list[Record] = []
    for r in records:
        values: dict[str, Any] = r.as_plain()
        for field in ("id", "car", "build", "engine", "sensor", "session", "about"):
            if values.get(field) in fresh:
                values[field] = fresh[values[field]]
        if isinstance(r, Normal | Circuit):
            values["sessions"] = [fresh.get(s, s) for s in r.sessions]
        renamed.append(BY_TABLE[r.table].from_plain(values))
    first = renamed[0]
    assert isinstance(first, Car)
    return [replace(first, name=name), *renamed[1:]]


def _loaded(path: Path, part: str, data: bytes) -> Any:
    try:
        return _cleaned(json.loads(data, parse_constant=_no_number), 0)
    except RecursionError:
        raise InputError(f"{path}, {part}: is nested deeper than any record; correct it.") from None
    except ValueError as error:
        raise InputError(f"{path}, {part}: is no JSON ({plain(str(error), 120)}); correct it.") from None


def _no_number(name: str) -> float:
    raise ValueError(f"{name} is no number")


def _cleaned(value: Any, depth: int) -> Any:
    """Values as they may be kept and shown: no invisible characters, no numbers beyond what a database holds."""
    if depth > _DEEPEST:
        raise RecursionError
    if isinstance(value, str):
        return plain_lines(value)
    if isinstance(value, list):
        return [_cleaned(v, depth + 1) for v in value]
    if isinstance(value, dict):
        return {plain(str(k)): _cleaned(v, depth + 1) for k, v in value.items()}
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError("a number is too large")
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) >= 1 << 63:
        raise ValueError("a number is too large")
    return value


def _quoted(value: object) -> str:
    return repr(plain(value, 60)) if isinstance(value, str) else type(value).__name__


def _json(value: object) -> bytes:
    return json.dumps(value, ensure_ascii=False, indent=1, allow_nan=False).encode()
