"""What ``import basso`` gives to scripts: a log that was read, judged, compared, each as a frame and as a document.

The objects hold the core's own results in ``core``; what these are made of may change, what is documented here stays.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from basso.analysis.result import Analysis as JudgedRecording
from basso.errors import InputError
from basso.formats.options import ReadOptions, parse_role_option, parse_unit_option
from basso.pressure.dips import DipRules
from basso.pressure.floors import DEFAULT_FLOORS, Floor, parse_floor
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.recording import Recording as ReadRecording
from basso.trial.verdict import Comparison as JudgedTrial

if TYPE_CHECKING:
    import polars as pl

Source = str | Path
_DIP_COLUMNS = {
    "start_s": float,
    "end_s": float,
    "duration_s": float,
    "min_pressure_kpa": float,
    "min_margin_kpa": float,
    "min_share": float,
    "deficit_kpa_s": float,
    "rpm": float,
    "oil_temp_c": float,
    "lateral_g": float,
    "longitudinal_g": float,
    "lag_s": float,
    "lap": int,
    "corner": str,
    "cause": str,
    "confidence": float,
    "rule": str,
}
_CORNER_COLUMNS = {
    "id": str,
    "direction": str,
    "a_min_kpa": float,
    "b_min_kpa": float,
    "effect_kpa": float,
    "low": float,
    "high": float,
    "passes_a": int,
    "passes_b": int,
}


@dataclass(frozen=True, slots=True, eq=False)
class Recording:
    """A log that was read. Made by :func:`basso.read`."""

    core: ReadRecording

    @property
    def path(self) -> Path:
        """The file it was read from."""
        return self.core.path

    @property
    def notes(self) -> tuple[str, ...]:
        """What had to be assumed in reading it."""
        return tuple(self.core.notes)

    @property
    def channels(self) -> dict[str, str | None]:
        """{column: role, or None where it has none}."""
        return {c.name: c.role.value if c.role is not None else None for c in self.core.channels}

    def to_frame(self) -> pl.DataFrame:
        """A row for each time at which any channel has a sample; null where one has none.

        Columns: ``time_s``, then each channel: under its role (``oil_pressure``, ``rpm``, …) in the unit of the JSON
        documents (kPa gauge, °C, g, m/s, m, …) where it has a role, else under its own name, as logged.
        """
        from basso.formats.write import frame_of

        return frame_of(self.core, _column_of, "time_s", si=True)

    def to_dict(self) -> dict[str, Any]:
        """``basso.import/1``, as ``basso import --json`` prints it."""
        from basso.recording.summary import summarise
        from basso.report.documents import import_document

        return import_document(self.core.path, summarise(self.core))


def _column_of(channel: Channel) -> str:
    return channel.role.value if channel.role is not None else channel.name


@dataclass(frozen=True, slots=True, eq=False)
class Analysis:
    """A judged log. Made by :func:`basso.judge`."""

    core: JudgedRecording

    @property
    def recording(self) -> Recording:
        """What was judged."""
        return Recording(self.core.recording)

    @property
    def sentence(self) -> str:
        """The verdict as the window opens with it, in kPa and °C."""
        return str(self.to_dict()["sentence"])

    def to_frame(self) -> pl.DataFrame:
        """A row for each dip, in the order of time; columns as ``events`` in ``basso.analysis/1``: ``start_s``,
        ``end_s``, ``min_pressure_kpa``, ``min_margin_kpa``, ``cause``, ``confidence``, …; null where it is not known.
        """
        return _frame(self.to_dict()["events"], _DIP_COLUMNS)

    def to_dict(self) -> dict[str, Any]:
        """``basso.analysis/1``, as ``basso analyze --json`` prints it for one log."""
        from basso.report.documents import analysis_document

        return analysis_document(self.core)


@dataclass(frozen=True, slots=True, eq=False)
class Comparison:
    """A change that was judged. Made by :func:`basso.compare`."""

    core: JudgedTrial

    @property
    def verdict(self) -> str:
        """``better``, ``worse``, ``no_clear_change`` or ``not_comparable``."""
        return self.core.verdict

    @property
    def sentence(self) -> str:
        """The verdict in words, with its numbers and reason, in kPa and °C."""
        from basso.units import DisplayUnits
        from basso.words.trial import sentence

        return str(sentence(self.core, DisplayUnits()))

    def to_frame(self) -> pl.DataFrame:
        """A row for each place that dips, in the order of the lap; columns as ``corners`` in ``basso.comparison/1``:
        ``id``, ``direction``, ``a_min_kpa``, ``b_min_kpa``, ``effect_kpa`` (B less A) with ``low`` and ``high``,
        ``passes_a``, ``passes_b``."""
        from basso.report.documents import comparison_document

        return _frame(comparison_document(self.core)["corners"], _CORNER_COLUMNS)

    def to_dict(self) -> dict[str, Any]:
        """``basso.comparison/1``, as ``basso compare --json`` prints it; what would overturn the verdict (``fragile``)
        is worked out for it, which takes a few seconds."""
        from basso.report.documents import comparison_document, fragile_documents
        from basso.trial.fragile import fragile_of
        from basso.workflow import verdict_with_zero

        fragile = fragile_of(self.core, lambda side, by_kpa: verdict_with_zero(self.core, side, by_kpa))
        return {**comparison_document(self.core), "fragile": fragile_documents(fragile)}


def _frame(rows: Sequence[Mapping[str, Any]], columns: Mapping[str, type]) -> pl.DataFrame:
    import polars as pl

    kinds = {float: pl.Float64, int: pl.Int64, str: pl.String}
    schema = {name: kinds[kind] for name, kind in columns.items()}
    return pl.DataFrame([{name: row.get(name) for name in columns} for row in rows], schema=schema)


def read_log(
    path: Source, roles: Mapping[str, str], units: Mapping[str, str], rate_hz: float | None, database: Source | None
) -> Recording:
    """See :func:`basso.read`."""
    options = ReadOptions(
        roles=dict(parse_role_option(f"{role}={column}") for role, column in roles.items()),
        units=dict(parse_unit_option(f"{column}={unit}") for column, unit in units.items()),
        rate_hz=_positive("rate_hz", rate_hz) if rate_hz is not None else None,
        database=Path(database) if database is not None else None,
    )
    return Recording(_opened(Path(path), options))


def judge_log(
    recording: Recording | Source,
    floors: Sequence[str] | None,
    normal: Sequence[Recording | Source],
    rpm_gate: float,
    min_duration_s: float,
) -> Analysis:
    """See :func:`basso.judge`."""
    from basso.analysis.pooled import pooled_normal
    from basso.memory.memory import Memory
    from basso.workflow import judge, options_for

    log, options = _recording(recording), _options(floors, rpm_gate, min_duration_s)
    earlier = [_recording(n) for n in normal]
    if earlier:
        learned = pooled_normal(earlier, options)
        if not learned.valid:
            names = ", ".join(str(r.path) for r in earlier)
            raise InputError(f"normal, {names}: no normal pressure can be learned from it: {learned.reason}.")
        options = replace(options, normal=learned)
    return Analysis(judge(log, options_for(log, options, Memory.own(), follow_car=False)))


def compare_logs(
    a: Sequence[Recording | Source],
    b: Sequence[Recording | Source],
    floors: Sequence[str] | None,
    labels: tuple[str, str],
    rpm_gate: float,
    min_duration_s: float,
) -> Comparison:
    """See :func:`basso.compare`."""
    from basso.memory.decisions import Decision
    from basso.memory.memory import Memory
    from basso.workflow import options_for, run_trial

    for name, side in (("a", a), ("b", b)):
        if isinstance(side, str | Path | Recording):
            raise InputError(f"{name}: give a list of logs, even of one: [{str(side)!r}].")
        if not side:
            raise InputError(f"{name}: name the logs {'before' if name == 'a' else 'after'} the change.")
    options, memory = _options(floors, rpm_gate, min_duration_s), Memory.own()
    before, after = ([_recording(x) for x in side] for side in (a, b))
    if {r.content_hash for r in before} & {r.content_hash for r in after}:
        raise InputError("a and b hold the same log; a change is judged between different runs.")
    made = {r.content_hash: options_for(r, options, memory) for r in (*before, *after)}
    decided = {log: Decision(m.refused, m.edited) for log, m in made.items()}
    return Comparison(run_trial(labels[0], before, labels[1], after, options, decided=decided))


def _recording(source: Recording | Source) -> ReadRecording:
    return source.core if isinstance(source, Recording) else _opened(Path(source), ReadOptions())


def _opened(path: Path, options: ReadOptions) -> ReadRecording:
    from basso.memory.memory import Memory
    from basso.workflow import open_recording

    return open_recording(path, options, memory=Memory.own())


def _options(floors: Sequence[str] | None, rpm_gate: float, min_duration_s: float) -> JudgeOptions:
    if isinstance(floors, str):
        raise InputError(f"floors: give a list of rules, even of one: [{floors!r}].")
    rules: tuple[Floor, ...] = tuple(parse_floor(rule) for rule in floors or ())
    dips = DipRules(rpm_gate=_at_least_0("rpm_gate", rpm_gate), least_s=_at_least_0("min_duration_s", min_duration_s))
    return JudgeOptions(floors=rules or DEFAULT_FLOORS, rules=dips)


def _at_least_0(name: str, value: float) -> float:
    if not 0.0 <= value < float("inf"):
        raise InputError(f"{name} {value}: give a number of 0 or more.")
    return float(value)


def _positive(name: str, value: float) -> float:
    if not 0.0 < value < float("inf"):
        raise InputError(f"{name} {value}: give a number over 0.")
    return float(value)
