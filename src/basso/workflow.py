"""The verbs that the command line and the window share."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Literal

from basso.errors import InputError
from basso.files import write_whole
from basso.progress import Progress, silent

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.car.cards import TrialCards
    from basso.formats.options import ReadOptions
    from basso.garage.records import Session
    from basso.garage.store import Garage
    from basso.memory.decisions import Decision
    from basso.memory.memory import Memory
    from basso.oil.grades import Grade
    from basso.pressure.earlier import Known
    from basso.pressure.floors import Floor
    from basso.pressure.options import JudgeOptions
    from basso.recording.drive import DriveMark
    from basso.recording.recording import Recording
    from basso.recording.summary import Summary
    from basso.trial.guards import Verdict
    from basso.trial.verdict import Comparison
    from basso.units import DisplayUnits


def open_recording(
    path: Path, options: ReadOptions | None = None, progress: Progress = silent, memory: Memory | None = None
) -> Recording:
    """Read a log of any known format; one that was read before is taken from what was kept of it.

    Columns that were confirmed for logs of the same shape are taken as confirmed, where a memory of them is handed in.
    """
    from basso.formats.cache import Kept

    options = with_memory(options, memory)
    recording = Kept().recording(path, options) or _read(path, options, progress, keep_samples=True)[0]
    if path.parent.name == "samples" and re.fullmatch("[0-9a-f]{16,64}", path.stem):
        # What a garage keeps of a log is that log: it stands under its fingerprint.
        return replace(recording, content_hash=path.stem)
    return recording


def describe(
    path: Path, options: ReadOptions | None = None, progress: Progress = silent, memory: Memory | None = None
) -> Summary:
    """What is in a log; of one that was read before without touching its samples."""
    from basso.formats.cache import Kept

    options = with_memory(options, memory)
    return Kept().summary(path, options) or _read(path, options, progress, keep_samples=False)[1]


@dataclass(frozen=True, slots=True, eq=False)
class LogCard:
    """What the log list shows of a recording: its summary, its complete laps, and what tells its drive from others."""

    summary: Summary
    laps: int
    mark: DriveMark | None


def log_card(
    path: Path, options: ReadOptions | None = None, progress: Progress = silent, memory: Memory | None = None
) -> LogCard:
    """Read a log (or take what was kept of it) and look it over for the log list."""
    from basso.recording.drive import drive_mark
    from basso.recording.summary import summarise
    from basso.track.laps import find_laps

    recording = open_recording(path, options, progress, memory)
    laps = sum(lap.complete for lap in find_laps(recording))
    return LogCard(summarise(recording), laps, drive_mark(recording))


def logs_in(paths: Sequence[Path]) -> list[Path]:
    """The paths, with every folder replaced by the logs in it and below, by their endings; hidden ones left out.

    Raises:
        InputError: a folder holds no log.
    """
    from basso.formats.registry import LOG_SUFFIXES

    found: list[Path] = []
    for path in paths:
        if not path.is_dir():
            found.append(path)
            continue
        inside = [
            p
            for p in sorted(path.rglob("*"))
            if p.suffix.lower() in LOG_SUFFIXES
            and p.is_file()
            and not any(x.startswith(".") for x in p.relative_to(path).parts)
        ]
        if not inside:
            raise InputError(
                f"{path}: holds no file that ends like a log ({', '.join(LOG_SUFFIXES)}); choose another folder."
            )
        found += inside
    return list(dict.fromkeys(found))


def with_memory(options: ReadOptions | None, memory: Memory | None) -> ReadOptions:
    """Options with the columns the user confirmed earlier."""
    from basso.formats.options import ReadOptions

    options = options or ReadOptions()
    return options if options.confirmed or memory is None else replace(options, confirmed=memory.columns.all())


def _read(path: Path, options: ReadOptions, progress: Progress, keep_samples: bool) -> tuple[Recording, Summary]:
    from basso.formats.cache import Kept, stamp_of
    from basso.formats.registry import read_recording
    from basso.recording.summary import summarise

    try:
        stamp = stamp_of(path)
    except (OSError, ValueError):
        stamp = None  # what is wrong with it is said by the reader
    recording = read_recording(path, options, progress)
    summary = summarise(recording)
    Kept().keep(recording, options, summary, keep_samples, stamp)
    return recording, summary


def options_for(
    recording: Recording,
    options: JudgeOptions,
    memory: Memory,
    car: Known | None = None,
    decided: Decision | None = None,
    follow_car: bool = True,
) -> JudgeOptions:
    """How a log is judged, in the window as on the command line: what is asked for now, what is remembered of its
    readings, and what the garage knows of its car.

    Args:
        decided: what was decided about its corrections (default: what is remembered of that).
        follow_car: floors that the car's owner chose go before those in ``options``; False where floors were asked for
            now.
    """
    from basso.memory.decisions import Decision

    decided = decided if decided is not None else memory.decisions.of_log(recording)
    now = {(channel, kind) for channel, kind, _ in options.edited} | options.refused
    before = Decision(
        frozenset(k for k in decided.refused if k not in now), frozenset(e for e in decided.edited if e[:2] not in now)
    )
    made = options.by(before, car)
    return replace(made, floors=car.floors) if follow_car and car is not None and car.floors else made


def judge(
    recording: Recording,
    options: JudgeOptions | None = None,
    normal: Sequence[Recording] = (),
    progress: Progress = silent,
) -> Analysis:
    """Judge a recording, against its own normal or that of earlier recordings."""
    from basso.analysis import analyse
    from basso.analysis.pooled import pooled_normal
    from basso.pressure.options import JudgeOptions

    options = options or JudgeOptions()
    if normal:
        options = replace(options, normal=pooled_normal(normal, options))
    return analyse(recording, options, progress)


def cards_of_trial(folder: Path, comparison: Comparison, units: DisplayUnits) -> TrialCards | None:
    """What the garage in a folder knows of a trial's two sides; None where it does not know both.

    Raises:
        InputError: the garage cannot be read.
    """
    from basso.car.cards import trial_cards
    from basso.car.history import car_history
    from basso.garage.records import Car
    from basso.garage.store import Garage

    on_a, on_b = ({a.recording.content_hash for a in side.analyses} for side in (comparison.a, comparison.b))
    with Garage(folder) as garage:
        histories = [car_history(garage, car) for car in garage.all(Car)]
    return trial_cards(histories, on_a, on_b, units)


def known_by_garage(
    folder: Path, recordings: Sequence[Recording], memory: Memory, progress: Progress = silent
) -> dict[str, Known]:
    """What the garage in a folder knows of the car behind each log, by the log's fingerprint; logs it has no session of
    are not in it.

    Raises:
        InputError: the garage cannot be read.
    """
    from basso.car.history import car_history
    from basso.car.known import known_of
    from basso.garage.records import Car
    from basso.garage.store import Garage

    known: dict[str, Known] = {}
    with Garage(folder) as garage:
        # A car from elsewhere that was not accepted says nothing of any log here.
        histories = [h for car in garage.all(Car) if (h := car_history(garage, car)).arrival is None]
        for recording in recordings:
            for history in histories:
                found = known_of(history, recording, samples_reader(garage, memory), memory.decisions, progress)
                if found is not None:
                    known[recording.content_hash] = found
    return known


def known_for_trial(
    folder: Path, recordings: Sequence[Recording]
) -> tuple[dict[str, Known], Grade | None, tuple[Floor, ...]]:
    """What the garage in a folder says of the logs of a trial: of each its sensor and circuit, the one oil that was in
    (None where they differ or nobody said), and the floors the car's owner chose.

    Raises:
        InputError: the garage cannot be read.
    """
    from basso.car.floor_choices import choice_in_force, floors_of
    from basso.car.history import car_history
    from basso.car.known import known_for_trial, session_of
    from basso.car.oils import oil_of
    from basso.garage.records import Car
    from basso.garage.store import Garage

    known: dict[str, Known] = {}
    oils: dict[str, Grade | None] = {}
    floors: tuple[Floor, ...] = ()
    with Garage(folder) as garage:
        histories = [h for car in garage.all(Car) if (h := car_history(garage, car)).arrival is None]
    for recording in recordings:
        for history in histories:
            session = session_of(history, recording.content_hash)
            if session is not None and (found := known_for_trial(history, recording)) is not None:
                known[recording.content_hash] = found
                oils[recording.content_hash] = oil_of(history, session)
                floors = floors_of(choice_in_force(history)) or floors
    used = set(oils.values())
    return known, used.pop() if len(used) == 1 and len(oils) == len(recordings) else None, floors


def samples_reader(garage: Garage, memory: Memory) -> Callable[[Session], Recording | None]:
    """Gives what the garage keeps of a session's log; None where it keeps nothing."""

    def kept(session: Session) -> Recording | None:
        samples = garage.files.samples_file(session.log_hash) if session.log_hash else None
        return open_recording(samples, memory=memory) if samples is not None and samples.is_file() else None

    return kept


def run_trial(
    label_a: str,
    a: Sequence[Recording],
    label_b: str,
    b: Sequence[Recording],
    options: JudgeOptions | None = None,
    progress: Progress = silent,
    decided: Mapping[str, Decision] = MappingProxyType({}),
    known: Mapping[str, Known] = MappingProxyType({}),
) -> Comparison:
    """Judge both sides against one normal, learned from both together, and compare them.

    ``decided``, ``known``: what was decided about the corrections of each log, and is known of its car, by the
    fingerprint of its content.
    """
    from basso.analysis import analyse
    from basso.analysis.pooled import pooled_normal
    from basso.analysis.trusted import Trusted, trusted
    from basso.pressure.options import JudgeOptions
    from basso.recording.drive import each_once
    from basso.trial.verdict import compare

    options = options or JudgeOptions()
    (a, again_a), (b, again_b) = each_once(a), each_once(b)
    by = {r.content_hash: options.by(decided.get(r.content_hash), known.get(r.content_hash)) for r in (*a, *b)}
    looked_at: dict[str, Trusted] = {}
    steps = 2 * (len(a) + len(b)) + 2
    for i, recording in enumerate([*a, *b]):
        progress(i / steps, f"checking the readings of {recording.path.name}")
        if not recording.manual:
            looked_at[recording.content_hash] = trusted(recording, by[recording.content_hash])
    progress(0.5, "learning the shared normal")
    normal = options.normal or pooled_normal([*a, *b], options, decided, known, looked_at=looked_at)
    judged = []
    for i, recording in enumerate([*a, *b]):
        progress(0.5 + (i + 1) / steps, f"judging {recording.path.name}")
        log = recording.content_hash
        judged.append(analyse(recording, replace(by[log], normal=normal), looked_at=looked_at.get(log)))
    progress(0.95, "comparing")
    return compare(label_a, judged[: len(a)], label_b, judged[len(a) :], (*again_a, *again_b))


def verdict_with_zero(c: Comparison, side: int, by_kpa: float) -> Verdict:
    """The verdict of a trial judged anew from its logs, with the sensor's zero of one side (0 A, 1 B) moved by so many
    kPa from what it was taken for."""
    from basso.memory.decisions import Decision
    from basso.pressure.options import JudgeOptions
    from basso.recording.roles import Role

    decided: dict[str, Decision] = {}
    known: dict[str, Known] = {}
    for n, one in enumerate((c.a, c.b)):
        for x in one.analyses:
            log, channel = x.recording.content_hash, x.recording.channel(Role.OIL_PRESSURE)
            edited, refused = x.options.edited, x.options.refused
            if n == side and channel is not None:
                key = (channel.name, "offset")
                now = float(x.zero.value) if x.zero is not None and x.zero.value is not None else 0.0
                edited = frozenset(e for e in edited if e[:2] != key) | {(*key, now + by_kpa)}
                refused = refused - {key}
            decided[log] = Decision(refused, edited)
            if x.options.known is not None:
                known[log] = x.options.known
    first = c.a.analyses[0].options
    options = JudgeOptions(floors=first.floors, rules=first.rules, oil=first.oil)
    a, b = ([x.recording for x in one.analyses] for one in (c.a, c.b))
    return run_trial(c.a.label, a, c.b.label, b, options, decided=decided, known=known).verdict


def export_recording(
    recording: Recording,
    path: Path,
    span_s: tuple[float, float] | None = None,
    corrected: Analysis | None = None,
    facts_above: bool = False,
) -> None:
    """Write a log as CSV or Parquet, by the file's ending: see :func:`exported`.

    Raises:
        InputError: the kind is unknown, the stretch empty, or the place cannot be written.
    """
    write_whole(path, exported(recording, path.suffix, span_s, corrected, facts_above))


def exported(
    recording: Recording,
    suffix: str,
    span_s: tuple[float, float] | None = None,
    corrected: Analysis | None = None,
    facts_above: bool = False,
) -> bytes:
    """A log as a file of the kind that ``suffix`` names.

    Args:
        span_s: only from here to there.
        corrected: with this analysis' corrections in force, and said among its facts.
        facts_above: of a CSV: the session's facts above the heading.

    Raises:
        InputError: the kind is unknown, or the stretch empty.
    """
    from basso.formats.write import part_of, recording_bytes
    from basso.recording.corrections import apply

    facts = {}
    if corrected is not None:
        recording = apply(recording, corrected.corrections)
        facts["Corrected"] = (
            "; ".join(f"{c.channel}: {c.kind} {c.value:g} {c.unit}" for c in corrected.corrections) or "nothing"
        )
    if span_s is not None:
        recording = part_of(recording, *span_s)
    return recording_bytes(recording, suffix, facts, facts_above)


def export_analysis(analysis: Analysis, path: Path, units: DisplayUnits | None = None) -> None:
    """Write what was found as JSON (the contract's document), CSV (the dips) or a spreadsheet, by the file's ending.

    Raises:
        InputError: the kind is unknown, or the place cannot be written.
    """
    from basso.report.documents import analysis_document, dump
    from basso.report.tables import as_csv, as_spreadsheet, dips_sheet, sheets_of
    from basso.units import DisplayUnits

    units = units or DisplayUnits()
    kind = path.suffix.lower()
    if kind == ".json":
        data = dump(analysis_document(analysis)).encode()
    elif kind == ".csv":
        data = as_csv(dips_sheet(analysis, units))
    elif kind == ".xlsx":
        data = as_spreadsheet(sheets_of(analysis, units))
    else:
        raise InputError(f"'{path.name}': an analysis is written as .json, .csv or .xlsx; name the file so.")
    write_whole(path, data)


def export_report(
    told: Analysis | Comparison,
    path: Path,
    units: DisplayUnits,
    paper: Literal["a4", "letter"] = "a4",
    progress: Progress = silent,
) -> None:
    """Write a session or a trial as one file to hand on: HTML or PDF, by the ending of its name.

    Raises:
        InputError: another ending, or the file cannot be written.
    """
    from basso.report.session_report import session_report
    from basso.report.trial_report import trial_report
    from basso.trial.fragile import fragile_of
    from basso.trial.verdict import Comparison

    if path.suffix.lower() not in (".html", ".pdf"):
        raise InputError(f"{path.name}: reports are written as .html or .pdf; name the file so.")
    if isinstance(told, Comparison):
        trial = told
        progress(0.1, "looking for what would overturn the verdict")
        fragile = fragile_of(trial, lambda side, by_kpa: verdict_with_zero(trial, side, by_kpa))
        report = trial_report(trial, fragile, units)
    else:
        report = session_report([told], [], units)
    progress(0.8, f"writing {path.name}")
    if path.suffix.lower() == ".html":
        from basso.report.html_page import to_html

        write_whole(path, to_html(report).encode())
    else:
        from basso.report.pdf_page import to_pdf

        write_whole(path, to_pdf(report, paper))


def demo_folder() -> Path:
    """Where the demo logs that ship with Basso lie."""
    return Path(__file__).parent / "demo"
