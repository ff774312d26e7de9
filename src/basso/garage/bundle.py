"""A car with its whole history as one file, and back: a zip of JSON and Parquet that anything can open.

::

    README.txt            what this is, for people
    bundle.json           {"schema": "basso.bundle/5", "car": name, "written": when, "contents": {path: SHA-256}}
    records/decisions.json  what was decided about the corrections of each log, by its fingerprint; if anything was
    records/NAME.json     a list of records of one kind; their fields stand in basso/garage/records.py
    samples/HASH.parquet  the samples of a session's log, named by the fingerprint of the log
    files/NAME            attached photos and papers

Everything is checked before anything is taken in: a bundle comes in whole or not at all.
"""

from __future__ import annotations

import hashlib
import io
import json
import lzma
import struct
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import Any

from basso.errors import InputError
from basso.files import write_whole
from basso.garage.forms import FORM, brought_up
from basso.garage.records import BY_TABLE, KINDS, Attachment, Build, Car, Circuit, Normal, Record, Session, new_id
from basso.garage.store import Change, Garage
from basso.trust.decisions import Decision, Decisions

SCHEMA = f"basso.bundle/{FORM}"
_FORMS = {f"basso.bundle/{form}": form for form in range(1, FORM + 1)}
SUFFIX = ".basso.zip"
_DECISIONS = "records/decisions.json"
_LARGEST_BYTES = 4_000_000_000
_DAMAGE = (
    zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, lzma.LZMAError, struct.error, NotImplementedError, RuntimeError,
    EOFError, OSError, ValueError, OverflowError,
)  # fmt: skip
"""What a damaged zip raises, by where the damage lies."""
_README = """A car's history, written by Basso. Open formats throughout: records/*.json are lists of records, samples/*.parquet the
logs (open them with any Parquet reader), files/ holds photos and papers. bundle.json lists the SHA-256 of every part; a
part that was changed by hand is refused until its entry there is changed too.
"""


def export_car(garage: Garage, car: Car, path: Path) -> None:
    """Write a car with its whole history.

    Raises:
        InputError: the file cannot be written.
    """
    rows = garage.of_car(car.id)
    parts: dict[str, bytes] = {
        f"records/{name}.json": _json([r.as_plain() for r in records]) for name, records in rows.items()
    }
    for session in rows[Session.table]:
        assert isinstance(session, Session)
        kept = garage.samples_file(session.log_hash)
        if session.log_hash and kept.is_file():
            parts[f"samples/{kept.name}"] = kept.read_bytes()
    decided = {
        s.log_hash: decision.as_plain()
        for s in rows[Session.table]
        if isinstance(s, Session) and s.log_hash and (decision := Decisions().of(s.log_hash)) != Decision()
    }
    if decided:
        parts[_DECISIONS] = _json(decided)
    for attachment in rows[Attachment.table]:
        assert isinstance(attachment, Attachment)
        kept = garage.folder / "files" / attachment.file_hash
        if attachment.file_hash and kept.is_file():
            parts[f"files/{kept.name}"] = kept.read_bytes()
    head = {
        "schema": SCHEMA,
        "car": car.name,
        "written": datetime.now().isoformat(timespec="seconds"),
        "contents": {name: hashlib.sha256(data).hexdigest() for name, data in sorted(parts.items())},
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as zipped:
        for name, data in {"README.txt": _README.encode(), "bundle.json": _json(head), **parts}.items():
            packed = zipfile.ZIP_STORED if name.endswith(".parquet") else zipfile.ZIP_DEFLATED
            zipped.writestr(name, data, packed)
    write_whole(path, out.getvalue())


def import_car(garage: Garage, path: Path, name: str = "") -> tuple[Car, int | None]:
    """Take a car in from a bundle.

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
    form, parts = _checked_parts(path)
    records, decided = _records(path, parts, form), _decided(path, parts)
    car = records[0]
    assert isinstance(car, Car)
    if name:
        records = _renamed(records, car, name)
        car = records[0]
        assert isinstance(car, Car)
    here = [r for rows in garage.of_car(car.id).values() for r in rows]
    if here:
        if {r.id: r for r in here} == {r.id: r for r in records}:
            return car, None
        raise InputError(
            f"{path}: {car.name} is in this garage already and differs; take it in under another name (--as NAME), or remove "
            "the one that is here."
        )
    for log, decision in decided.items():
        if Decisions().of(log) == Decision():  # what was decided here goes before what was decided there
            Decisions().keep(log, decision)
    for part, data in parts.items():
        at = PurePosixPath(part)
        if at.parts[0] == "samples":
            garage.keep_samples(at.stem, data)
        elif at.parts[0] == "files":
            garage.keep_file(data, at.suffix)
    return car, garage.edit(f"taking in {car.name}", *(Change(None, r) for r in records))


def _decided(path: Path, parts: Mapping[str, bytes]) -> dict[str, Decision]:
    """What was decided about the logs' corrections, by their fingerprints."""
    plain = _loaded(path, _DECISIONS, parts[_DECISIONS]) if _DECISIONS in parts else {}
    try:
        return {str(log): Decision.from_plain(d) for log, d in plain.items()}
    except (ValueError, TypeError, KeyError, AttributeError):
        raise InputError(f"{path}, {_DECISIONS}: is no list of decisions; correct or remove it.") from None


def _checked_parts(path: Path) -> tuple[int, dict[str, bytes]]:
    """The form of a bundle's records, and every part it lists, its content as listed."""
    try:
        with zipfile.ZipFile(path) as zipped:
            names = {i.filename: i for i in zipped.infolist() if not i.is_dir()}
            if sum(i.file_size for i in names.values()) > _LARGEST_BYTES:
                raise InputError(f"{path}: unpacks to more than 4 GB and was not opened; split it by car.")
            if "bundle.json" not in names:
                raise InputError(
                    f"{path}: is no bundle of a car (it has no bundle.json); choose a file that Basso wrote."
                )
            head = _loaded(path, "bundle.json", zipped.read("bundle.json"))
            said = head.get("schema") if isinstance(head, dict) else None
            form = _FORMS.get(said) if isinstance(said, str) else None
            listed = head.get("contents") if isinstance(head, dict) else None
            if form is None:
                raise InputError(
                    f"{path}, bundle.json: is of the form {said!r}, not '{SCHEMA}'; open it with a newer Basso."
                )
            if not isinstance(listed, dict):
                raise InputError(f"{path}, bundle.json: lists no contents; export the car again.")
            parts = {}
            for name, digest in listed.items():
                if name not in names:
                    raise InputError(f"{path}: the part {name} is missing; export the car again.")
                if not _is_plain(name):
                    raise InputError(f"{path}: the part {name} has no place in a bundle; remove it.")
                parts[name] = zipped.read(name)
                if hashlib.sha256(parts[name]).hexdigest() != digest:
                    raise InputError(
                        f"{path}: the part {name} was changed or damaged since it was written; export the car again, or put its "
                        "SHA-256 into bundle.json if the change was meant."
                    )
            return form, parts
    except FileNotFoundError:
        raise InputError(f"{path}: does not exist; check the name and the folder.") from None
    except _DAMAGE as error:
        # The library's own words may hold the damaged bytes; they are not for people.
        why = error.strerror if isinstance(error, OSError) and error.strerror else type(error).__name__
        raise InputError(f"{path}: is no bundle, or a damaged one ({why}); export the car again.") from None


def _is_plain(name: str) -> bool:
    at = PurePosixPath(name)
    return len(at.parts) == 2 and at.parts[0] in ("records", "samples", "files") and at.parts[1] not in (".", "..")


def _records(path: Path, parts: Mapping[str, bytes], form: int) -> list[Record]:
    """The records of a bundle, the car first; they hold together."""
    records: list[Record] = []
    for kind in KINDS:
        part = f"records/{kind.table}.json"
        rows = _loaded(path, part, parts[part]) if part in parts else []
        if not isinstance(rows, list) or not all(isinstance(r, dict) for r in rows):
            raise InputError(f"{path}, {part}: should hold a list of objects; correct it.")
        for row in rows:
            try:
                records.append(kind.from_plain(brought_up(kind.table, row, form)))
            except InputError as error:
                raise InputError(f"{path}, {part}: {error}") from None
    cars = [r for r in records if isinstance(r, Car)]
    if len(cars) != 1:
        raise InputError(f"{path}, records/cars.json: holds {len(cars)} cars, and should hold one; correct it.")
    builds = {r.id for r in records if isinstance(r, Build)}
    seen: set[str] = set()
    for r in records:
        build = getattr(r, "build", "")
        if r.id in seen:
            raise InputError(f"{path}: two records have the id {r.id}; correct one of them.")
        seen.add(r.id)
        if not isinstance(r, Car) and getattr(r, "car", "") != cars[0].id:
            raise InputError(f"{path}: the {r.noun} {r.id} belongs to another car; correct it.")
        if (build or isinstance(r, Session | Normal)) and build not in builds:
            raise InputError(
                f"{path}: the {r.noun} {r.id} names a build that is not in the bundle ({build!r}); correct it."
            )
    return records


def _renamed(records: list[Record], car: Car, name: str) -> list[Record]:
    """The same as another car: new identifiers throughout."""
    fresh = {i: new_id() for r in records for i in (r.id, getattr(r, "engine", ""), getattr(r, "sensor", "")) if i}
    renamed: list[Record] = []
    for r in records:
        plain: dict[str, Any] = r.as_plain()
        for field in ("id", "car", "build", "engine", "sensor", "session", "about"):
            if plain.get(field) in fresh:
                plain[field] = fresh[plain[field]]
        if isinstance(r, Normal | Circuit):
            plain["sessions"] = [fresh.get(s, s) for s in r.sessions]
        renamed.append(BY_TABLE[r.table].from_plain(plain))
    first = renamed[0]
    assert isinstance(first, Car)
    return [replace(first, name=name), *renamed[1:]]


def _loaded(path: Path, part: str, data: bytes) -> Any:
    try:
        return json.loads(data)
    except ValueError as error:
        raise InputError(f"{path}, {part}: is no JSON ({error}); correct it.") from None


def _json(value: object) -> bytes:
    return json.dumps(value, ensure_ascii=False, indent=1, allow_nan=False).encode()
