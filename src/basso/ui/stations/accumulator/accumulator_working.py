"""The working behind the Accumulator page: gas law, cover, the gallery's stiffness, pass by pass. (No Qt.)"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from basso.accumulator.gas import charged_l, stored_l
from basso.accumulator.replay import GALLERY_S, SWITCH_S
from basso.sentence import read_in
from basso.ui.stations.working import WorkingStep
from basso.units import DisplayUnits, Quantity
from basso.words.accumulator import (
    how_sure,
    ladder_words,
    masked_words,
    pan_words,
    pass_words,
    static_cautions,
    taken_words,
    window_words,
)

if TYPE_CHECKING:
    from basso.findings.accumulator.findings import AccumulatorFindings


def accumulator_working(found: AccumulatorFindings, units: DisplayUnits) -> list[WorkingStep]:
    """Step by step, from the precharge to each pass."""
    bottle, peak, floor = found.fitted.bottle, found.peak_kpa, found.floor_kpa

    def kpa(value: float) -> str:
        return units.text(value, Quantity.PRESSURE)

    def litres(value: float) -> str:
        return units.text(value, Quantity.VOLUME)

    steps = [
        WorkingStep(
            "Gas law",
            f"({kpa(bottle.precharge_driven_kpa)} + {kpa(bottle.air_kpa)}) · {litres(bottle.total_l)} = (p + "
            f"{kpa(bottle.air_kpa)}) · ({litres(bottle.total_l)} − oil)",
            "Boyle and Mariotte, absolute pressures; the precharge as warm as it is driven",
        ),
        WorkingStep(
            "Charged",
            f"at {kpa(peak)}: {litres(float(charged_l(bottle, peak)))}",
            "normal pressure on flying laps, hot, at the ninetieth percentile",
        ),
        WorkingStep(
            "Usable",
            f"{litres(found.charged_l)} − {litres(float(stored_l(bottle, floor + bottle.friction_kpa)))} = "
            f"{litres(found.usable_l)}",
            f"floor {kpa(floor)}: " + ("the middle of the floors where it dips" if found.floor_is_own else "as set"),
        ),
    ]
    if bottle.settle_s is not None:
        steps.append(
            WorkingStep(
                "Gas in a dip",
                f"takes on the bottle's temperature within {bottle.settle_s:g} s",
                "a dip of a second meets an exponent near 1.4, a refill of many seconds one near 1",
            )
        )
    out, back = np.median(found.gallery.stiffness_out), np.median(found.gallery.stiffness_in)
    pump = found.fitted.pump_cm3_per_rev
    steps.append(
        WorkingStep(
            "Gallery",
            f"each L/min more brings {kpa(float(out))}, each one taken costs {kpa(float(back))} (medians)",
            f"from normal and a pump of {1000.0 * found.pump.l_per_rev:.1f} cm³ for a turn"
            + ("" if pump is not None else ", assumed: nobody said"),
        )
    )
    line = found.fitted.line
    steps.append(
        WorkingStep(
            "Line and valve",
            f"{kpa(line.out_kpa)} out, {kpa(line.in_kpa)} in at 20 L/min; the gallery follows in "
            f"{1000 * GALLERY_S:.0f} ms, a switch in {1000 * SWITCH_S:.0f} ms",
            "loss with the square of the flow (White, Fluid Mechanics, ch. 6)",
        )
    )
    for p in found.cover.passes:
        steps.append(
            WorkingStep(
                pass_words(p).capitalize(),
                f"{kpa(p.without.lowest_kpa)} → {kpa(p.lowest_kpa)}, floor {kpa(p.without.floor_kpa)}",
                f"gave {litres(p.spent_l)}, {litres(p.oil_left_l)} left"
                + (", ran dry" if p.ran_dry else "")
                + (f", {p.short_s:.2f} s under the floor" if p.short_s > 0.0 else ""),
            )
        )
    told = [
        taken_words(found.cover),
        *(w for w, _ in (*masked_words(found), *window_words(found), *pan_words(found))),
        *ladder_words(found.ladder),
    ]
    told += [how_sure(), *static_cautions(bottle, peak, floor, None)]
    steps += [WorkingStep("To mind", str(read_in(w, units)), "") for w in told if w]
    return steps
