"""Reading ASAM measurement files (MDF 3 and 4); bus frames inside them are decoded with a database.

Meant for a process of its own (:mod:`basso.formats.reading_child`): the library's native code can bring the process
down over a damaged file. The library hands a conversion that is a formula to an evaluator of program text; here it
never gets that far: formulas are worked out by :mod:`basso.formats.formula`, wherever a conversion stands.
"""

from __future__ import annotations

import logging
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, cast

import numpy as np

from basso.errors import Cancelled, FormatError
from basso.files import open_plain
from basso.formats.assemble import RawColumn, assemble, headings_of
from basso.formats.database import decode
from basso.formats.formula import FormulaError, evaluate
from basso.formats.frames import Frames, Key
from basso.formats.options import ReadOptions, database_for
from basso.formats.reader_notes import ReaderNotes
from basso.formats.timebase import repair
from basso.formats.unfinished import finished, is_unfinished
from basso.limits import MOST_COLUMNS, MOST_FRAMES, MOST_NUMBERS, SPLIT
from basso.plain_text import plain
from basso.progress import Progress
from basso.recording.recording import Recording
from basso.units import FloatArray

if TYPE_CHECKING:
    from asammdf import MDF

_FRAMES = "CAN_DataFrame"
_TOLD_ONE_BY_ONE = 8
_PIECES = 64
"""A channel with a damaged block is read in so many pieces."""


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read every channel of numbers, each group at its own times.

    Raises:
        FormatError: it is damaged, or has no channel with two samples.
    """
    progress(0.0, f"reading {path.name}")
    database = database_for(path, options)
    notes = ReaderNotes()
    logging.disable(logging.CRITICAL)
    library = _library()
    held: _Held | None = None
    with open_plain(path) as source:
        if not is_unfinished(source):
            with suppress(_Trouble):
                held = _held(path, source, library, notes, progress)
        if held is None and (mended := finished(source)) is not None:
            notes.clear()
            why = (
                "the file was never closed, as after a power loss" if is_unfinished(source) else "the file is cut short"
            )
            with suppress(_Trouble), _lost_blocks_left_out():
                held = _held(path, mended, library, notes, progress)
                notes.broken_off = why
    if held is None:
        raise FormatError(path, "is damaged or was cut short", "copy it from the logger again")
    taken, frames, started, version, facts = held.taken, held.frames, held.started, held.version, held.facts
    taken.tell()
    first = taken.first
    columns = _columns(taken, first)
    if frames and database is None:
        notes.append("It holds bus frames too; name the database that decodes them with --dbc FILE.")
    elif frames and database is not None:
        start = first if columns else min(f.stamps[0] for f in frames.values())
        columns += decode(database, path, frames, start, notes, progress)
    if not columns:
        why = f" ({plain(notes[0], 200)})" if notes else ""
        raise FormatError(
            path, f"holds no channel with two samples or more{why}", "record again, or export another part"
        )
    return assemble(path, f"MDF {version}", columns, options, notes, facts, started)


@dataclass(frozen=True, slots=True)
class _Held:
    """What a file holds; ``started`` is ISO text or ""."""

    taken: _Taken
    frames: dict[Key, Frames]
    started: str
    version: str
    facts: dict[str, str]


@contextmanager
def _lost_blocks_left_out() -> Iterator[None]:
    """Within it the library ends a channel at the first block that is not there, instead of refusing the file."""
    from asammdf import set_global_option

    set_global_option("raise_on_incomplete_blocks", False)
    try:
        yield
    finally:
        set_global_option("raise_on_incomplete_blocks", True)


class _Trouble(Exception):
    """The library tripped over the file."""


def _held(path: Path, source: IO[bytes], library: type[MDF], notes: ReaderNotes, progress: Progress) -> _Held:
    try:
        with library(cast(Any, source)) as file:
            taken = _Taken(path, notes)
            _take_channels(file, taken, progress)
            started = file.start_time.replace(tzinfo=None)
            return _Held(
                taken,
                _bus_frames(file),
                started.isoformat(timespec="seconds") if started.year > 1980 else "",
                str(file.version),
                _facts(file),
            )
    except (FormatError, Cancelled, MemoryError):
        raise
    except Exception:  # whatever the library trips over in a damaged file
        raise _Trouble from None


class _Refused(Exception):
    """A conversion whose formula is no plain arithmetic."""

    def __init__(self, formula: str, why: str) -> None:
        self.formula, self.why = plain(formula, 60), why
        super().__init__(why)


def _library() -> type[MDF]:
    """The library, its evaluator of formulas out of reach.

    Both kinds of conversion block are made to ask for the formula here; the fixed formulas of rational and polynomial
    conversions fall back to the library's own arithmetic.
    """
    from asammdf import MDF
    from asammdf.blocks import v2_v3_blocks, v4_blocks
    from asammdf.blocks.v2_v3_constants import CONVERSION_TYPE_FORMULA
    from asammdf.blocks.v4_constants import CONVERSION_TYPE_ALG

    def never(*_: object, **__: object) -> object:
        raise TypeError("no formula is evaluated by the library")

    for module, kind in ((v4_blocks, CONVERSION_TYPE_ALG), (v2_v3_blocks, CONVERSION_TYPE_FORMULA)):
        for name in ("evaluate", "lambdify", "symbols"):
            if hasattr(module, name):
                setattr(module, name, never if name == "evaluate" else None)
        block: Any = module.ChannelConversion
        if not hasattr(block, "by_the_library"):
            block.by_the_library = block.convert
            block.convert = _converter(kind)
    return MDF


def _converter(formula_kind: int) -> Any:
    def convert(self: Any, values: Any, *arguments: Any, **named: Any) -> Any:
        if self.conversion_type != formula_kind:
            return self.by_the_library(values, *arguments, **named)
        numbers = np.asarray(values)
        formula = str(self.formula)
        if numbers.dtype.kind not in "fiub":
            raise _Refused(formula, "its readings are no numbers")
        try:
            return evaluate(formula, numbers.astype(np.float64))
        except FormulaError as error:
            raise _Refused(formula, str(error)) from None

    return convert


class _Taken:
    """What was taken out of a file: (name, unit, times, values), each array of times once; and what was left out."""

    def __init__(self, path: Path, notes: ReaderNotes) -> None:
        self._path, self.notes = path, notes
        self.channels: list[tuple[str, str, FloatArray, FloatArray]] = []
        self._times: list[FloatArray] = []
        self._numbers = 0
        self._refused = 0
        self._wordy: list[str] = []
        self._damaged: list[str] = []
        self._lost: list[tuple[str, float, float]] = []

    def put(self, name: str, unit: str, times: FloatArray, values: FloatArray) -> None:
        """One more channel.

        Raises:
            FormatError: there is more than one log can hold.
        """
        same = next((t for t in self._times if t.size == times.size and np.array_equal(t, times, equal_nan=True)), None)
        if same is None:
            self._times.append(times)
            self._numbers += times.size
        self._numbers += values.size
        if self._numbers > MOST_NUMBERS or len(self.channels) >= MOST_COLUMNS:
            raise FormatError(
                self._path, f"holds more than {MOST_NUMBERS:,} readings or {MOST_COLUMNS:,} channels", SPLIT
            )
        self.channels.append((name, unit, times if same is None else same, values))

    def refuse(self, name: str, refused: _Refused) -> None:
        """A channel whose conversion is not evaluated; its raw numbers would be no physical ones."""
        self._refused += 1
        if self._refused > _TOLD_ONE_BY_ONE:
            return
        self.notes.append(
            f"Channel '{plain(name, 60)}' was left out: its conversion is the formula "
            f"'{refused.formula}', which is not plain "
            f"arithmetic ({plain(refused.why, 60)})."
        )

    def word(self, name: str) -> None:
        """A channel of text or of several numbers at a time."""
        self._wordy.append(name)

    def lose(self, name: str, share: float, times: FloatArray) -> None:
        """A channel of which a share is in a damaged block; ``times`` are those that are left."""
        steps = np.diff(times)
        gap = int(np.argmax(steps)) if steps.size else 0
        self._lost.append((name, share, float(times[gap] - times[0]) if times.size else 0.0))

    def damage(self, name: str) -> None:
        """A channel whose data cannot be read."""
        self._damaged.append(name)

    def tell(self) -> None:
        """Say what was left out."""
        if self._refused > _TOLD_ONE_BY_ONE:
            self.notes.append(f"{self._refused - _TOLD_ONE_BY_ONE} more channels with such formulas were left out.")
        for name in self._wordy[:_TOLD_ONE_BY_ONE]:
            self.notes.append(f"Channel '{plain(name, 60)}' holds no single numbers and was left out.")
        if len(self._wordy) > _TOLD_ONE_BY_ONE:
            self.notes.append(
                f"{len(self._wordy) - _TOLD_ONE_BY_ONE} more channels hold no single numbers and were left out."
            )
        if self._lost:
            share, at = max((share, at) for _, share, at in self._lost)
            some = ", ".join(f"'{plain(n, 60)}'" for n, _, _ in self._lost[:_TOLD_ONE_BY_ONE])
            self.notes.lose(
                f"A damaged block of the file takes up to {share:.0%} of "
                f"{some}{' …' if len(self._lost) > _TOLD_ONE_BY_ONE else ''} "
                f"with it, from {at:.1f} s on; the rest was read."
            )
        if self._damaged:
            some = ", ".join(f"'{plain(n, 60)}'" for n in self._damaged[:_TOLD_ONE_BY_ONE])
            total = len(self._damaged) + len(self.channels)
            self.notes.lose(
                f"{len(self._damaged)} of {total} channels are in a damaged part of the file and were left out: {some}"
                f"{' …' if len(self._damaged) > _TOLD_ONE_BY_ONE else ''}."
            )

    @property
    def first(self) -> float:
        """The first stamp of any channel; 0 where there is none."""
        firsts = [float(t[0]) for _, _, t, _ in self.channels]
        return min((t for t in firsts if np.isfinite(t)), default=0.0)


def _facts(file: MDF) -> dict[str, str]:
    """What the file's header says of the measurement; its "subject" is what was measured."""
    head = file.header
    named = {
        "Vehicle": head.subject,
        "Project": head.project,
        "Author": head.author,
        "Department": head.department,
        "Comment": head.description,
    }
    texts = {k: str(value or "").strip("\x00 \n") for k, value in named.items()}
    return {k: v for k, v in texts.items() if v and not v.startswith("<")}  # markup is nothing to read


def _take_channels(file: MDF, taken: _Taken, progress: Progress) -> None:
    """Every channel that is numbers."""
    groups: list[Any] = list(file.groups)
    for number, group in enumerate(groups):
        progress(0.1 + 0.6 * number / len(groups), f"reading {Path(str(file.name)).name}")
        master = file.masters_db.get(number)
        for index, channel in enumerate(group.channels):
            if index == master or channel.name.startswith((_FRAMES, "LIN_Frame")):
                continue
            try:
                read = _read_channel(file, number, index, taken)
            except _Refused as refused:
                taken.refuse(channel.name, refused)
                continue
            if read is None:
                continue
            name, unit, samples, times = read
            if samples.ndim != 1 or samples.dtype.kind not in "fiub":
                taken.word(channel.name)
            elif samples.size >= 2 and times.size == samples.size:
                taken.put(name, unit, times, samples.astype(np.float64))


_Read = tuple[str, str, Any, FloatArray]
"""Name, unit, samples and times of a channel."""


def _read_channel(file: MDF, group: int, index: int, taken: _Taken) -> _Read | None:
    """One channel, whole or what damage has left of it; None where nothing is left, or it is no numbers (both
    noted)."""
    channel = file.groups[group].channels[index]
    words = _mixes_words_and_numbers(channel.conversion)
    get: Any = file.get  # whose overloads do not take keywords by name

    def part(**which: int) -> _Read:
        signal = get(group=group, index=index, **which)
        samples = np.asarray(signal.samples)
        if samples.dtype.kind not in "fiub" and not words:
            # Numbers with a name each, such as a gear: the numbers are the readings.
            samples = np.asarray(get(group=group, index=index, raw=True, **which).samples)
        return signal.name, signal.unit or "", samples, np.asarray(signal.timestamps, dtype=np.float64)

    cycles = int(file.groups[group].channel_group.cycles_nr)
    try:
        whole = part()
        # By the group's own times: a channel may have fewer readings because some are marked as not valid.
        if whole[2].shape[0] < cycles and (there := file.get_master(group).size) < cycles:
            taken.notes.broken_off = f"its index tells of {cycles:,} rows, {there:,} are there"
        return whole
    except (_Refused, Cancelled, MemoryError):
        raise
    except Exception:  # a damaged block costs itself: the rest is read in pieces
        pass
    size = max(1, -(-cycles // _PIECES))
    parts: list[_Read] = []
    for start in range(0, min(cycles, MOST_NUMBERS), size):
        try:
            parts.append(part(record_offset=start, record_count=min(size, cycles - start)))
        except (_Refused, Cancelled, MemoryError):
            raise
        except Exception:
            continue
    alike = [p for p in parts if p[2].dtype == parts[0][2].dtype and p[2].ndim == 1]
    if not alike:
        taken.damage(channel.name)
        return None
    samples, times = np.concatenate([p[2] for p in alike]), np.concatenate([p[3] for p in alike])
    taken.lose(channel.name, 1.0 - samples.size / cycles, times)
    return alike[0][0], alike[0][1], samples, times


def _mixes_words_and_numbers(conversion: Any) -> bool:
    """True for a conversion that gives words for some raw numbers and works others out: its raw numbers are neither."""
    blocks = getattr(conversion, "referenced_blocks", None) or {}
    return any(hasattr(b, "conversion_type") for b in blocks.values())


def _bus_frames(file: MDF) -> dict[Key, Frames]:
    """The bus frames inside a file, by identifier; damaged groups are passed over."""
    found: dict[Key, Frames] = {}
    count = 0
    groups: list[Any] = list(file.groups)
    for number, group in enumerate(groups):
        if not any(c.name == _FRAMES for c in group.channels):
            continue
        try:
            parts = {n: file.get(f"{_FRAMES}.{n}", group=number, raw=True) for n in ("ID", "DataBytes", "DataLength")}
        except (Cancelled, MemoryError):
            raise
        except Exception:
            continue
        data = np.asarray(parts["DataBytes"].samples)
        if data.ndim != 2 or data.dtype != np.uint8:
            continue
        identifiers = np.asarray(parts["ID"].samples).astype(np.int64)
        lengths = np.minimum(np.asarray(parts["DataLength"].samples).astype(np.int64), min(data.shape[1], 64))
        stamps = np.asarray(parts["DataBytes"].timestamps, dtype=np.float64)
        count += stamps.size
        if count > MOST_FRAMES:
            raise FormatError(Path(str(file.name)), f"holds more than {MOST_FRAMES:,} bus frames", SPLIT)
        extended = _extended(file, number, identifiers)
        rows = zip(stamps.tolist(), identifiers.tolist(), extended.tolist(), lengths.tolist(), data, strict=True)
        for stamp, identifier, is_extended, length, payload in rows:
            if length > 0 and np.isfinite(stamp):
                found.setdefault((identifier & 0x1FFFFFFF, is_extended), Frames()).add(
                    stamp, payload[:length].tobytes()
                )
    return found


def _extended(file: MDF, group: int, identifiers: Any) -> Any:
    """Which frames have an extended identifier: as the file says, else by the identifier's top bit or size."""
    try:
        said = np.asarray(file.get(f"{_FRAMES}.IDE", group=group, raw=True).samples)
    except (Cancelled, MemoryError):
        raise
    except Exception:
        said = np.zeros(identifiers.size, dtype=np.uint8)
    return (said.astype(np.int64) > 0) | (identifiers & 0x80000000 > 0) | (identifiers & 0x1FFFFFFF > 0x7FF)


def _columns(taken: _Taken, first: float) -> list[RawColumn]:
    """Columns at their own times, from the first sample of any of them; stamps that need it are mended."""
    stamps: dict[int, FloatArray] = {}
    columns = []
    headings = headings_of([c[0] for c in taken.channels], [c[1] for c in taken.channels])
    for heading, (_, _, times, values) in zip(headings, taken.channels, strict=True):
        at = stamps.setdefault(id(times), times - first)
        if not bool(np.all(np.diff(at) > 0)):
            begin = float(at[0]) if np.isfinite(at[0]) else 0.0
            at, (values,) = repair(at, [values], taken.notes)
            at = at + begin
        if at.size == values.size and at.size >= 2:
            columns.append(RawColumn(heading, at, values))
    return columns
