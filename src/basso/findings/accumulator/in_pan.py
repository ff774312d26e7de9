"""What an accumulator's oil does in the pan: more of it as the bottle gives, and all of it at a stop."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from basso.findings.accumulator.cover import Cover
from basso.findings.sump.findings import running_uncover_g
from basso.sump.levels import levels_of
from basso.sump.measured import MeasuredPan, solid_of
from basso.sump.standing import MOST_G


@dataclass(frozen=True, slots=True)
class InPan:
    """A measured pan with a bottle on it. Its fill is taken as read with the bottle charged.

    Attributes:
        charged_l: in the pan at rest with the bottle charged; ``emptied_l``: once it has emptied.
        most_l: what the pan takes up to the crank's sweep; None where that was not measured.
        given_l: the most the bottle has given by the end of a pass.
        uncover_g, uncover_given_g: the least steady g that uncovers the pickup, with the bottle full and with that
            given; None where it does not uncover, or is not known.
    """

    charged_l: float
    emptied_l: float
    most_l: float | None
    given_l: float
    uncover_g: float | None
    uncover_given_g: float | None

    @property
    def over_l(self) -> float | None:
        """By how much the emptied bottle overfills the pan; below 0 there is room."""
        return self.emptied_l - self.most_l if self.most_l is not None else None


def in_pan(pan: MeasuredPan, cover: Cover, charged_l: float) -> InPan | None:
    """A pan and the bottle that was replayed; None where it is not known how much oil is in the pan."""
    if not pan.fill_l:
        return None
    solid = solid_of(pan)
    most = levels_of(pan).most_fill_m3
    full = float(cover.replayed.oil_l.max()) if cover.replayed.oil_l.size else 0.0
    given = max((full - p.oil_left_l for p in cover.passes), default=0.0)
    with_it = replace(pan, fill_l=min(pan.fill_l + given, 1000.0 * solid.capacity_m3))
    before, after = (_least(running_uncover_g(p, solid)) for p in (pan, with_it))
    return InPan(
        charged_l=pan.fill_l,
        emptied_l=pan.fill_l + charged_l,
        most_l=1000.0 * most if most is not None else None,
        given_l=given,
        uncover_g=before,
        uncover_given_g=after,
    )


def _least(curve_g: np.ndarray) -> float | None:
    least = float(curve_g.min()) if curve_g.size else np.inf
    return least if least <= MOST_G else None
