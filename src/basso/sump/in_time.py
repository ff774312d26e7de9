"""Where a calibrated flow model has the oil through a drive, moment by moment."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from basso.sump.calibration import Calibration
from basso.sump.compartments import Compartments
from basso.sump.flow import STEP_S, Run, head_under, standing
from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class OilMoment:
    """The oil at one moment.

    Attributes:
        ax_g, ay_g: the g its surface stands square to, in the car's axes: late, and with what sloshes.
        z0_m: height of the surface over the car's origin in each compartment.
        volume_m3: in all of the pan; what is up in the engine is not in it.
        head_m: over the middle of the mouth; below 0 it is uncovered.
    """

    ax_g: float
    ay_g: float
    z0_m: tuple[float, ...]
    volume_m3: float
    head_m: float


@dataclass(frozen=True, slots=True, eq=False)
class OilInTime:
    """The oil of a whole log, every :data:`~basso.sump.flow.STEP_S` from ``start_s``.

    Attributes:
        ax_g, ay_g, head_m: as in :class:`OilMoment`, shape (n,).
        held_m3: in each compartment, shape (compartments, n).
    """

    compartments: Compartments
    start_s: float
    ax_g: FloatArray
    ay_g: FloatArray
    held_m3: FloatArray
    head_m: FloatArray

    def at(self, time_s: float) -> OilMoment | None:
        """The oil at a moment; None outside of the log."""
        i = round((time_s - self.start_s) / STEP_S)
        if not 0 <= i < self.head_m.size:
            return None
        ax, ay, held = self.ax_g[i : i + 1], self.ay_g[i : i + 1], self.held_m3[:, i]
        z0 = [float(t.at(ax, ay, held[k : k + 1])[0]) for k, t in enumerate(self.compartments.tables)]
        return OilMoment(float(ax[0]), float(ay[0]), tuple(z0), float(held.sum()), float(self.head_m[i]))


def oil_in_time(calibration: Calibration, run: Run, start_s: float) -> OilInTime:
    """The oil under a car's best fit.

    ``run``: what it did from ``start_s`` on. The lateral g is the logged one: where the model fits only with left and
    right exchanged, the pan is what stands the other way round, and the oil is given as it lies in the pan.
    """
    fit, c = calibration.fits[0], calibration.compartments
    one = replace(run, ay_g=-run.ay_g) if fit.mirrored else run
    sets = fit.best[None]
    ax, ay, held = standing(c, one, calibration.volume_m3, sets, calibration.pump_m3_per_rev)
    head = head_under(c, sets, ax, ay, c.tables[c.pickup_in].at(ax, ay, held[c.pickup_in]))
    return OilInTime(c, start_s, ax[0], ay[0], np.ascontiguousarray(held[:, 0]), head[0])
