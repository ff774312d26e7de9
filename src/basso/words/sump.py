"""The flow model and what it predicts, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.sentence import in_kpa, in_litres, in_mm, joined, phrase
from basso.sump.cures import CURED_DIPS, is_enough
from basso.sump.levels import (
    INLET_AT_RPM,
    LEAST_CLEARANCE_M,
    MOST_CLEARANCE_M,
    MOST_INLET_MPS,
    THROWN_G,
    BookFit,
    Levels,
    MeasuredError,
    PlateLevel,
    levels_of,
)
from basso.sump.measured import MeasuredPan

if TYPE_CHECKING:
    from basso.findings.sump.findings import SumpFindings
    from basso.sump.calibration import Calibration
    from basso.sump.cures import Cure
    from basso.sump.variants import Prediction


def calibration_words(c: Calibration) -> str:
    """Whether the model may predict, what that rests on, and what would help where it may not."""
    if not c.fits:
        return phrase("The flow model cannot be calibrated: {}.", c.reason)
    off = phrase(
        "On {} passes of laps not used for the fit, the lowest pressure of those that dip was off by {} (median)",
        c.passes,
        in_kpa(c.error_kpa),
    )
    if not c.usable:
        return phrase(
            "{}; the spread between passes is explained to {}. The flow model cannot reproduce these logs and predicts "
            "nothing. Check the pan's measurements, the pickup's height and the level first; more laps help too.",
            off,
            share_words(c.explained),
        )
    return phrase("{}; the spread between passes is explained to {}.", off, share_words(c.explained))


def share_words(share: float) -> str:
    """A share as whole per cent, never below 0."""
    return f"{100.0 * max(share, 0.0):.0f} %"


def prediction_words(p: Prediction) -> str:
    """What a change would have done: "lowest pressure +71 kPa (+54 to +88), 54 dips become 5"."""
    dips = f"{p.dips_before} dips become {p.dips_after:.0f}"
    return phrase(
        "{}: lowest pressure {} ({:bare} to {:bare}), {}",
        p.text,
        in_kpa(p.effect_kpa, signed=True),
        in_kpa(p.low_kpa, signed=True),
        in_kpa(p.high_kpa, signed=True),
        dips,
    )


def level_words(told: Levels) -> list[str]:
    """What a pan says standing still, a sentence each: levels, pickup, plates, doors, how far it may be filled."""
    words: list[str] = []
    if told.rest_m is not None and told.running_m is not None:
        words.append(
            phrase(
                "The oil stands at {} with the engine stopped and at {} with {} up in the engine.",
                in_mm(1000.0 * told.rest_m, 0),
                in_mm(1000.0 * told.running_m, 0),
                in_litres(told.pan.away_l, 1),
            )
            if told.pan.away_l
            else phrase(
                "The oil stands at {} with the engine stopped. The file does not say how much is up in the engine when "
                "it runs, so the running level is lower than that by an unknown amount.",
                in_mm(1000.0 * told.rest_m, 0),
            )
        )
    words += [plate_words(p) for p in told.plates]
    for door in told.doors:
        way = "toward the pickup, as it should" if door.is_right_way else "away from the pickup: turn it round"
        words.append(f"The door between {door.between[0]} and {door.between[1]} opens {way}.")
    words += _side_words(told)
    words += _pickup_words(told)
    if told.most_fill_m3 is not None and told.sweep_over_rest_m is not None:
        words.append(
            phrase(
                "The crank's sweep is {} over the oil at rest; level, the pan takes {} before the crank dips in. "
                "Thrown at {:g} g in the worst direction, oil reaches it from {} on, if the crank lies over the middle "
                "of the pan. A discharged accumulator adds its volume to what is in the pan.",
                in_mm(1000.0 * told.sweep_over_rest_m, 0),
                in_litres(1000.0 * told.most_fill_m3, 2),
                THROWN_G,
                in_litres(1000.0 * (told.most_thrown_m3 or 0.0), 2),
            )
            if told.sweep_over_rest_m >= 0.0
            else phrase(
                "At rest the oil stands {} over the lowest point of the crank's sweep: once the engine runs, what "
                "stays there is beaten to froth. Up to the sweep the pan takes {}.",
                in_mm(-1000.0 * told.sweep_over_rest_m, 0),
                in_litres(1000.0 * told.most_fill_m3, 2),
            )
        )
    if told.at_full_mark_m3 is not None:
        words.append(phrase("At the stick's full mark the pan holds {}.", in_litres(1000.0 * told.at_full_mark_m3, 2)))
    if told.errors:
        words.append(error_words(told.errors[0]))
    return words


def book_words(b: BookFit) -> str:
    """Whether the pan as it was measured and the level book belong together."""
    off = in_litres(b.off_l, 2)
    if b.belongs:
        return phrase("The level book agrees with this pan within {} ({} readings).", off, b.readings)
    return phrase(
        "The level book does not agree with this pan: {} off over {} readings. Stick, tube and pan may not belong "
        "together, or a measurement is wrong. Measure before the next start.",
        off,
        b.readings,
    )


def plate_words(p: PlateLevel) -> str:
    """Whether a plate can do anything: only one over the running level keeps oil down."""
    if p.state == "under":
        return phrase(
            "The plate in {} is {} under the running level and does nothing there; raise it by {}.",
            p.plate.bay,
            in_mm(-1000.0 * p.over_running_m, 0),
            in_mm(-1000.0 * p.over_running_m, 0),
        )
    if p.state == "between":
        return phrase(
            "The plate in {} is {} over the running level, and under {} of oil at rest.",
            p.plate.bay,
            in_mm(1000.0 * p.over_running_m, 0),
            in_mm(-1000.0 * p.over_rest_m, 0),
        )
    shut = " It has no opening: oil cannot come back through it." if p.open_m2 <= 0.0 else ""
    return phrase(
        "The plate in {} is {} over the running level.{}", p.plate.bay, in_mm(1000.0 * p.over_running_m, 0), shut
    )


def _side_words(told: Levels) -> list[str]:
    """How open the walls about the pickup are, which way, and what cannot come back."""
    words = [
        f"Oil in {name} cannot come back to the pickup: no opening leads from there. Give it one, or a door that opens "
        "toward the pickup."
        for name in told.no_way_back
    ]
    if told.sides:
        each = "; ".join(f"{s.side} {share_words(s.into)} in, {share_words(s.out)} out" for s in told.sides)
        words.append(f"Open share of the walls about the pickup: {each}. A door counts one way only.")
    ahead = next((s for s in told.sides if s.side == "front"), None)
    if ahead is not None and ahead.into <= 0.0:
        words.append("On the overrun and under braking oil lies in front, and nothing in the front wall lets it back.")
    return words


def _pickup_words(told: Levels) -> list[str]:
    words: list[str] = []
    if told.clearance_m is not None:
        window = (in_mm(1000.0 * LEAST_CLEARANCE_M), in_mm(1000.0 * MOST_CLEARANCE_M))
        stands = phrase("The pickup stands {} over the floor", in_mm(1000.0 * told.clearance_m, 1))
        if told.clearance_m < LEAST_CLEARANCE_M - 1e-9:
            words.append(phrase("{}: under {} it can be choked.", stands, window[0]))
        elif told.clearance_m > MOST_CLEARANCE_M + 1e-9:
            words.append(phrase("{}: over {} it comes uncovered early.", stands, window[1]))
        else:
            words.append(phrase("{}, within {:bare} to {}.", stands, *window))
        if told.clearance_free_m is not None:
            words.append(
                phrase(
                    "That is with the gasket pressed; loose it is {}. Check it again once the bolts are tight.",
                    in_mm(1000.0 * told.clearance_free_m, 1),
                )
            )
    if told.rim_over_middle_m > 0.0005:
        words.append(
            phrase(
                "It is tilted: the highest point of its rim is {} over the middle and draws air first.",
                in_mm(1000.0 * told.rim_over_middle_m, 1),
            )
        )
    if told.inlet_mps is not None and told.inlet_mps > 1.05 * MOST_INLET_MPS and not told.pump_is_assumed:
        words.append(
            f"At {INLET_AT_RPM:.0f} rpm oil enters it at {told.inlet_mps:.1f} m/s; suction lines are usually kept "
            f"under {MOST_INLET_MPS:.1f} m/s. Cold, thick oil and ice choke a small mouth first."
        )
    return words


def error_words(e: MeasuredError) -> str:
    """Which measurement to take again: the one whose error moves the answer most."""
    off = in_litres(e.off, 1) if e.unit == "L" else in_mm(e.off, 0)
    low, high = (f"{v:+.2f}".replace("-", "−") for v in sorted((e.g_lost, e.g_gained)))
    what = e.what if e.what == "fill" else f"pickup's {e.what.removeprefix('pickup ')}"
    return phrase("Measure the {} again first: {} off moves the least uncover g by {} to {} g.", what, off, low, high)


def sump_opening(found: SumpFindings) -> tuple[str, str]:
    """The sentence at the top of the Sump station, and the line under it."""
    c = found.calibration
    if c is None:
        missing = "where the pickup is" if found.pan.pickup is None else "how much oil is in it"
        return (
            f"The pan holds {1000.0 * found.levels.solid.capacity_m3:.1f} L; its file does not say {missing}.",
            "Add it to see which g uncovers the pickup and what a change would do.",
        )
    if not c.usable:
        return "Where the oil stands is shown; what a change would do is not predicted.", str(calibration_words(c))
    told = [(t.cure, t.told) for t in found.cures if t.told is not None]
    if not told:
        return "No change was tried.", ""
    cure, best = told[0]
    left, before = round(best.dips_after), best.dips_before
    if best.dips_after < CURED_DIPS:
        words = phrase("{} should be enough: none of {} dipping passes left.", cure.title, before)
    elif is_enough(best):
        words = phrase("{} should be enough: {} of {} dipping passes left.", cure.title, left, before)
    else:
        words = phrase("{} should help most: {} of {} dipping passes left.", cure.title, left, before)
    others = [
        phrase("{} ({:.0f} left)", x.title, p.dips_after) for x, p in told[1:3] if p.dips_after < 0.5 * p.dips_before
    ]
    detail = phrase("Work: {}.", cure.work)
    if others:
        detail = phrase("{} Next: {}.", detail, joined("; ", others))
    return words, phrase("{} {}", detail, cure.cost) if cure.cost else detail


def mark_words(cure: Cure, before: MeasuredPan) -> str:
    """What a change does to the stick's mark and asks of the pickup; "" for nothing."""
    was, now = levels_of(before), levels_of(cure.pan)
    words = []
    if was.rest_m is not None and now.rest_m is not None and was.sweep_over_rest_m is not None:
        # Against the block, where the stick hangs: the crank's sweep does not move.
        rise = was.sweep_over_rest_m - (now.sweep_over_rest_m or 0.0)
    elif was.rest_m is not None and now.rest_m is not None and now.solid.capacity_m3 == was.solid.capacity_m3:
        rise = now.rest_m - was.rest_m
    else:
        rise = 0.0
    if abs(rise) >= 0.001:
        words.append(
            phrase(
                "The oil at rest then stands {} {}: mark the stick anew.",
                in_mm(1000.0 * abs(rise), 0),
                "higher" if rise > 0.0 else "lower",
            )
        )
    if now.clearance_m is not None and (
        now.solid.capacity_m3 != was.solid.capacity_m3 or now.clearance_m != was.clearance_m
    ):
        words.append(
            phrase("Check the pickup: {} over the floor, the pan tightened.", in_mm(1000.0 * now.clearance_m, 1))
        )
    return joined(" ", words)


def plan_words(cure: Cure, told: Prediction | None, before: MeasuredPan) -> str:
    """What is planned, what it was predicted to do, and what has to be marked and measured anew."""
    after = joined(" ", [w for w in (mark_words(cure, before), cure.cost) if w])
    if told is None:
        return phrase("Planned: {}. What it would do could not be predicted. {}", cure.title, after)
    return phrase(
        "Planned: {}. Predicted: lowest pressure {} ({:bare} to {:bare}, 80 %), {} of {} dipping passes left. {}",
        cure.title,
        in_kpa(told.effect_kpa, signed=True),
        in_kpa(told.low_kpa, signed=True),
        in_kpa(told.high_kpa, signed=True),
        round(told.dips_after),
        told.dips_before,
        after,
    )
