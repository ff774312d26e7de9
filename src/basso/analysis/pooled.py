"""The expected pressure learned from several recordings of one engine together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.analysis.located import g_channels
from basso.analysis.trusted import Trusted, trusted
from basso.memory.decisions import Decision
from basso.normal.expected import ExpectedPressure, fit_expected, no_expectation
from basso.normal.settled import SettledLimits, settled
from basso.oil.grades import Grade
from basso.oil.viscosity import as_thick
from basso.pressure.earlier import Known
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.units import FloatArray


def pooled_normal(
    recordings: Sequence[Recording],
    options: JudgeOptions | None = None,
    decided: Mapping[str, Decision] = MappingProxyType({}),
    known: Mapping[str, Known] = MappingProxyType({}),
    oils: Mapping[str, Grade] = MappingProxyType({}),
    looked_at: Mapping[str, Trusted] = MappingProxyType({}),
) -> ExpectedPressure:
    """The expected pressure learned from several recordings together.

    Args:
        decided, known: what was decided about the corrections of each log, and is known of its car, by its content.
        oils: the oil of each log by its content, where it is another than ``options.oil``: its temperatures are taken
            as those at which that oil is as thick, for to the bearings oils differ in their viscosity alone.
        looked_at: what the checks said of a log, by its content, where they were run on it already.
    """
    options = options or JudgeOptions()
    parts: list[tuple[FloatArray, FloatArray, FloatArray | None, NDArray[np.bool_]]] = []
    for recording in recordings:
        if not recording.has(Role.OIL_PRESSURE) or not recording.has(Role.RPM):
            continue
        log = recording.content_hash
        readings = looked_at.get(log) or trusted(recording, options.by(decided.get(log), known.get(log)))
        frame = frame_on(readings.corrected, Role.OIL_PRESSURE)
        lateral, longitudinal, _ = g_channels(frame)
        heat, oil = frame.get(Role.OIL_TEMP), oils.get(log, options.oil)
        if heat is not None and oil != options.oil:
            heat = as_thick(oil, heat, options.oil)
        parts.append(
            (
                frame.filled(Role.OIL_PRESSURE, np.nan),
                frame.filled(Role.RPM, np.nan),
                heat,
                settled(frame, lateral, longitudinal, SettledLimits()),
            )
        )
    if not parts:
        return no_expectation("none of the recordings has oil pressure and engine speed")
    with_temperature = all(t is not None for _, _, t, _ in parts)
    temperature = np.concatenate([t for _, _, t, _ in parts if t is not None]) if with_temperature else None
    return fit_expected(
        np.concatenate([p for p, _, _, _ in parts]),
        np.concatenate([n for _, n, _, _ in parts]),
        temperature,
        np.concatenate([s for _, _, _, s in parts]),
        options.oil,
    )
