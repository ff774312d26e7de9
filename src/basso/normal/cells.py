"""Settled running in cells of engine speed × oil temperature: what was read there, how surely, and how often."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.oil.grades import Grade
from basso.oil.viscosity import log_viscosity
from basso.units import FloatArray

REFERENCE_RPM = 4000.0
_LEAST_SAMPLES = 3
_ALIKE = 8.0
"""As many samples of a cell are taken to say one thing: they follow on each other."""
_APART = 50
"""Samples between two visits to a cell."""
_ZERO_KPA = 1.5
"""Zero and noise that a cell's own scatter does not show."""


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """Cells in which something was read; arrays of shape (n,).

    Attributes:
        log_rpm: natural log of mean rpm ÷ 4000.
        log_v: natural log of viscosity over that at 95 °C; 0 where normal is by engine speed only.
        log_p: natural log of the middle pressure in kPa.
        weight: 1 for a cell with 60 samples and more.
        temperature_c: mean oil temperature, or None.
        noise: standard deviation of ``log_p`` by the scatter within the cell.
        visits: how often the driver came by.
    """

    log_rpm: FloatArray
    log_v: FloatArray
    log_p: FloatArray
    weight: FloatArray
    temperature_c: FloatArray | None
    noise: FloatArray
    visits: FloatArray


def cells_of(
    pressure_kpa: FloatArray,
    rpm: FloatArray,
    temperature_c: FloatArray | None,
    use: NDArray[np.bool_],
    oil: Grade,
    most: int = 320,
) -> Cells:
    """The cells of what is to be used; arrays of shape (n,), at least one sample of them used, none of those missing.

    Of more than ``most`` cells with three samples and more, as many spread evenly are taken.
    """
    p, n = pressure_kpa[use], rpm[use]
    t = temperature_c[use] if temperature_c is not None else None
    rows = np.clip(((n - n.min()) / max(float(np.ptp(n)), 1.0) * 48).astype(np.int64), 0, 47)
    if t is not None:
        width = max(1.0, float(np.ptp(t)) / 32)
        columns = np.clip(((t - t.min()) / width).astype(np.int64), 0, 31)
    else:
        columns = np.zeros(p.shape, dtype=np.int64)
    cell = (rows * 32 + columns).astype(np.int16)
    visits = _visits(cell, np.flatnonzero(use))
    order = np.argsort(cell + p / (1.001 * float(p.max())))  # by cell, then by pressure
    cell, p, n = cell[order], p[order], n[order]
    starts = np.flatnonzero(np.diff(cell, prepend=np.int16(-1)))
    counts = np.diff(np.append(starts, cell.size))
    middle = p[starts + counts // 2]
    mean_n = np.add.reduceat(n, starts) / counts
    mean_t = np.add.reduceat(t[order], starts) / counts if t is not None else None
    log_v = log_viscosity(oil, mean_t) if mean_t is not None else np.zeros(starts.shape)
    scatter = (p[starts + (3 * counts) // 4] - p[starts + counts // 4]) / 1.35
    noise = np.hypot(scatter / np.sqrt(np.maximum(counts / _ALIKE, 1.0)), _ZERO_KPA) / middle
    full = np.flatnonzero(counts >= _LEAST_SAMPLES)
    full = full[np.linspace(0, full.size - 1, min(full.size, most)).astype(np.intp)] if full.size else full
    return Cells(
        np.log(mean_n[full] / REFERENCE_RPM),
        log_v[full],
        np.log(middle[full]),
        np.minimum(counts[full], 60.0) / 60.0,
        mean_t[full] if mean_t is not None else None,
        noise[full],
        visits[full],
    )


def _visits(cell: NDArray[np.int16], sample: NDArray[np.intp]) -> FloatArray:
    """How often the driver came by each cell, in the order of the cells: what was read in one go says one thing."""
    order = np.argsort(cell, kind="stable")
    cell, sample = cell[order], sample[order]
    new_cell = np.diff(cell, prepend=np.int16(-1)) != 0
    new_visit = new_cell | (np.diff(sample, prepend=-_APART) >= _APART)
    return np.add.reduceat(new_visit.astype(np.float64), np.flatnonzero(new_cell))
