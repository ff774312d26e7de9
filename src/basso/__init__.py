"""Basso: finds, explains and judges oil starvation in engine logs.

For scripts and notebooks::

    import basso

    log = basso.read("stint-1.csv", units={"Oil P": "psi"})
    analysis = basso.judge(log, floors=["slope:0,48.3", "share:0.70"])
    print(analysis.sentence)
    analysis.to_frame()                       # a row for each dip
    trial = basso.compare(a=["full-1.csv", "full-2.csv"], b=["baffle-1.csv", "baffle-2.csv"])
    print(trial.verdict, trial.sentence)

All that can go wrong with what was handed in is a :class:`BassoError`: one sentence that says what, where and what to
do. Everything else of the package may change from one version to the next.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.errors import BassoError
from basso.version import VERSION

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    from basso.api import Analysis, Comparison, Recording

__all__ = ["BassoError", "compare", "judge", "read"]
__version__ = VERSION


def read(
    path: str | Path,
    roles: Mapping[str, str] | None = None,
    units: Mapping[str, str] | None = None,
    *,
    rate_hz: float | None = None,
    database: str | Path | None = None,
) -> Recording:
    """Read a log of any format Basso knows.

    Args:
        path: the file.
        roles: {role: column} where a column's name does not say it: ``{"oil_pressure": "P3 gallery"}``.
        units: {column: unit}: ``{"P3 gallery": "psi"}``.
        rate_hz: rows a second, for a log without time stamps.
        database: what decodes a bus log; None: the one beside it.

    Raises:
        BassoError: the file cannot be read, or a role, column or unit is not known.
    """
    from basso.api import read_log

    return read_log(path, roles or {}, units or {}, rate_hz, database)


def judge(
    recording: Recording | str | Path,
    floors: Sequence[str] | None = None,
    normal: Sequence[Recording | str | Path] = (),
    *,
    rpm_gate: float = 1500.0,
    min_duration_s: float = 0.15,
) -> Analysis:
    """Find the dips of a log, and why they happened.

    Args:
        recording: a log that was read, or its path.
        floors: rules as the command line takes them (``"slope:0,48.3"``, ``"fixed:200"``, ``"share:0.70"``, …); the
            highest applies. None: ``slope:0,48.3`` and ``share:0.70``.
        normal: earlier logs to learn normal pressure from, instead of the log itself.
        rpm_gate: no dip is told below it.
        min_duration_s: shorter ones are none.

    Raises:
        BassoError: a rule or number cannot be used, or no normal can be learned from ``normal``.
    """
    from basso.api import judge_log

    return judge_log(recording, floors, normal, rpm_gate, min_duration_s)


def compare(
    a: Sequence[Recording | str | Path],
    b: Sequence[Recording | str | Path],
    floors: Sequence[str] | None = None,
    *,
    label_a: str = "A",
    label_b: str = "B",
    rpm_gate: float = 1500.0,
    min_duration_s: float = 0.15,
) -> Comparison:
    """Judge a change: logs before it against logs after it, like with like.

    Args:
        a, b: logs before and after, read or as paths.
        floors, rpm_gate, min_duration_s: as for :func:`judge`.
        label_a, label_b: what the sides are called.

    Raises:
        BassoError: a side has no log, a log stands on both, or one cannot be read.
    """
    from basso.api import compare_logs

    return compare_logs(a, b, floors, (label_a, label_b), rpm_gate, min_duration_s)
