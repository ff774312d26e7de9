"""The working behind the Sump page: the pan, the fitted flow model, and the change chosen, place by place. (No Qt.)"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from basso.sentence import read_in
from basso.sump.standing import MOST_G
from basso.ui.stations.sump.picture import height_words, place_words
from basso.ui.stations.working import WorkingStep
from basso.units import DisplayUnits, Quantity
from basso.words.sump import calibration_words, level_words, prediction_words

if TYPE_CHECKING:
    from basso.findings.sump.findings import SumpFindings, TriedCure
    from basso.sump.calibration import Calibration
    from basso.sump.variants import PlacePrediction

_SAID = {
    "slosh_hz": "surface swings at {:.2f} Hz",
    "damping": "damped by {:.2f}",
    "held_l": "{:volume} up in the engine at 6000 rpm",
    "held_s": "which takes {:.1f} s to go up or come back",
    "cover_m": "half of the mouth draws air at a cover of {:length}",
    "mouth_m": "from little to most over {:length}",
    "loss": "uncovered, {:share} of what pump and bearings make is left",
    "delay_s": "it shows after {:.2f} s",
    "clearing_s": "and clears with a lag of {:.2f} s",
    "openings": "openings pass {:.2f} of a sharp edge's flow",
    "film_m": "a film of about {:length} stays on a floor the surface left",
    "tilt": "the surface tilts {:.2f} of what the g asks for",
    "lean_x_g": "leaned forward at rest by {:.2f} g",
    "lean_y_g": "leaned to the left at rest by {:.2f} g",
}
"""What each fitted parameter means, in words."""


def sump_working(found: SumpFindings, chosen: TriedCure | None, units: DisplayUnits) -> list[WorkingStep]:
    """Step by step, from the tape to the prediction."""
    told, pan = found.levels, found.pan
    capacity = units.text(1000.0 * told.solid.capacity_m3, Quantity.VOLUME)
    steps = [
        WorkingStep(
            "Volume",
            f"{capacity}: bays {', '.join(b.name for b in pan.bays)}, {told.solid.triangles.shape[0]} triangles",
            f"{pan.name}, as measured; exact for a closed surface (divergence theorem)",
        )
    ]
    steps += [WorkingStep("Standing still", str(read_in(w, units)), "the pan's file") for w in level_words(told)]
    if found.uncover_g.size:
        least = float(found.uncover_g.min())
        steps.append(
            WorkingStep(
                "Uncover curve",
                f"least {least:.2f} g" if least <= MOST_G else f"none up to {MOST_G:g} g",
                "the g at which the plane through the mouth, square to gravity and g together, holds what is in it",
            )
        )
    if found.calibration is not None:
        steps += _fit(found.calibration, units)
    if chosen is not None and chosen.told is not None:
        steps.append(
            WorkingStep(
                "Change chosen",
                str(read_in(prediction_words(chosen.told), units)),
                "every pass simulated with and without it; 80 % band: spread of the fits, and what such models were "
                "seen to miss on cars whose oil moves by other laws",
            )
        )
        steps += [_place(p, units) for p in chosen.told.places]
    return steps


def _fit(c: Calibration, units: DisplayUnits) -> list[WorkingStep]:
    words = str(read_in(calibration_words(c), units))
    steps = [WorkingStep("Flow model", f"{len(c.fits)} of its structures kept" if c.fits else "not fitted", words)]
    for key, v in c.fitted().items():
        # Of a loss the more is the less that is left.
        ends = (v.high, v.low) if key == "loss" else (v.low, v.high)
        value, low, high = (_number(key, x, units) for x in (v.value, *ends))
        steps.append(
            WorkingStep("Fitted", _SAID[key].split("{")[0] + value + _SAID[key].split("}")[1], f"80 %: {low} to {high}")
        )
    return steps


def _number(key: str, value: float, units: DisplayUnits) -> str:
    how = _SAID[key].split("{:")[1].split("}")[0]
    if how == "length":
        return f"{height_words(value, units)} {units.length.symbol}"
    if how == "volume":
        return units.text(value, Quantity.VOLUME)
    if how == "share":
        return f"{100.0 * math.exp(-value):.0f} %"
    text = f"{value:{how}}"
    return (text.lstrip("-") if float(text) == 0.0 else text).replace("-", "−")


def _place(p: PlacePrediction, units: DisplayUnits) -> WorkingStep:
    before, after, low, high = (
        units.text(v, Quantity.PRESSURE) for v in (p.lowest_before_kpa, p.lowest_after_kpa, p.low_kpa, p.high_kpa)
    )
    return WorkingStep(
        place_words(p.place).capitalize(),
        f"lowest {before} → {after} ({low} to {high})",
        f"mean over {p.passes} passes; {p.dips_before} dip now, {p.dips_after:.1f} would",
    )
