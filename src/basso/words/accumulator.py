"""What an accumulator holds, what it does on a drive, and where its pressures cross, in words."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from basso.accumulator.gas import Bottle, charged_l, highest_floor_kpa, seconds_of_cover, stored_l, usable_l
from basso.findings.accumulator.logged import LEAK_KPA_PER_MIN
from basso.findings.accumulator.sizing import HOLDS_S
from basso.sentence import in_celsius, in_kpa, in_litres, joined, phrase

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.accumulator.cover import Cover, CoveredPass
    from basso.findings.accumulator.findings import AccumulatorFindings
    from basso.findings.accumulator.ladder import Ladder, Rung

VESSEL = (
    "A charged accumulator is a pressure vessel: rated parts and dry gas only, within the bottle's rated limit; shut "
    "the valve and vent it before anything is opened."
)
WILL_NOT_FIX = (
    "It holds a floor for seconds and leaves pan, pickup, pump and breathing as they were: an uncovered pickup is "
    "hidden, not cured."
)


def static_cautions(bottle: Bottle, peak_kpa: float, floor_kpa: float, flow_lpm: float | None) -> list[str]:
    """What is to be minded about a bottle's arithmetic: impossible settings first, then the common traps."""
    words: list[str] = []
    full, usable = float(charged_l(bottle, peak_kpa)), usable_l(bottle, peak_kpa, floor_kpa)
    precharge = bottle.precharge_driven_kpa
    if precharge >= peak_kpa - bottle.friction_kpa:
        words.append(
            phrase(
                "The precharge of {} is not under the {} it is charged with: no oil enters.",
                in_kpa(precharge),
                in_kpa(peak_kpa),
            )
        )
    elif floor_kpa >= peak_kpa - 2.0 * bottle.friction_kpa:
        words.append(
            phrase(
                "No accumulator holds {}: this one is charged to {} at most. Choose a floor under {}.",
                in_kpa(floor_kpa),
                in_kpa(peak_kpa),
                in_kpa(peak_kpa - 2.0 * bottle.friction_kpa),
            )
        )
    elif precharge > floor_kpa:
        words.append(
            phrase(
                "The precharge of {} is over the floor: it is empty before the gallery falls to {}, and its last drop "
                "leaves at {}.",
                in_kpa(precharge),
                in_kpa(floor_kpa),
                in_kpa(precharge),
            )
        )
    else:
        kept = float(stored_l(bottle, floor_kpa + bottle.friction_kpa))
        if kept > 0.1 * full:
            words.append(
                phrase(
                    "{} stays in the bottle when the gallery is at the floor; a precharge nearer {} would give more of "
                    "it.",
                    in_litres(kept, 2),
                    in_kpa(floor_kpa),  # of a slow gas the most can be used with the floor itself as precharge
                )
            )
    if usable > 0.0:
        words.append(
            phrase(
                "Of {} nominal, {} is oil when charged and {} can be used over the floor.",
                in_litres(bottle.total_l, 1),
                in_litres(full, 2),
                in_litres(usable, 2),
            )
        )
    if usable > 0.0 and flow_lpm:
        words.append(
            f"Cover is usable oil over the pump's flow, {seconds_of_cover(usable, flow_lpm):.1f} s at {flow_lpm:.0f} "
            "L/min; the size of the sump has no part in it. What the failing pickup still delivers makes it longer."
        )
    held = highest_floor_kpa(bottle, peak_kpa, 0.5 * full)
    if usable <= 0.0 and held is not None and full > 0.0:
        words.append(phrase("With half of its charge given it holds {}.", in_kpa(held)))
    words.append("Pressures are gauge pressures here; the gas law itself needs absolute ones, and is given them.")
    if bottle.friction_kpa > 0.0:
        words.append(phrase("Seals take {} on the way in and again on the way out.", in_kpa(bottle.friction_kpa)))
    words.append(VESSEL)
    return words


def cover_opening(cover: Cover, floor_kpa: float | None, smallest_l: float | None) -> tuple[str, str]:
    """The sentence at the top, and the line under it."""
    bottle, passes = cover.bottle, cover.passes
    size = in_litres(bottle.total_l, 1)
    if not passes:
        return phrase("No pass dips on this drive: the {} bottle has nothing to cover.", size), ""
    held, left = places_held(passes)
    dry = [p for p in passes if p.ran_dry]
    if not left:
        words = phrase("The {} bottle covers all {} dipping passes.", size, len(passes))
    elif dry:
        words = phrase(
            "The {} bottle is spent in {} of {} dipping passes, first in {}.",
            size,
            len(dry),
            len(passes),
            pass_words(dry[0]),
        )
    elif held:
        words = phrase("The {} bottle covers {}, but not {}.", size, listed(held), listed(left))
    else:
        words = phrase("The {} bottle does not hold the floor in {}.", size, listed(left))
    worst = max(passes, key=lambda p: (not p.without.is_long, p.short_s))
    short = ""
    if worst.short_s > HOLDS_S:
        short = f"Worst: {worst.short_s:.1f} s under it in {pass_words(worst)}."
    long = [p for p in passes if p.without.is_long]
    if long:
        names = sorted({place_name(p) for p in long}, key=_along)
        most = max(p.without.end_s - p.without.start_s for p in long)
        short += f" {listed(names).capitalize()} dip up to {most:.0f} s long: no work for a bottle."
    which = "in every other pass" if 0 < len(long) < len(passes) else "in every pass"
    need = need_words(floor_kpa, smallest_l, which)
    parts = [short.strip(), need, "Predicted from this log."]
    return words, joined(" ", [p for p in parts if p])


def places_held(passes: Sequence[CoveredPass]) -> tuple[list[str], list[str]]:
    """Places at which the floor is held in every pass, and those at which it is not, in the order of the lap."""
    short: dict[str, bool] = {}
    for p in passes:
        name = place_name(p)
        short[name] = short.get(name, False) or p.short_s > HOLDS_S
    names = sorted(short, key=_along)
    return [n for n in names if not short[n]], [n for n in names if short[n]]


def _along(name: str) -> tuple[bool, int, str]:
    """Turns by their number, then the rest."""
    return not name.startswith("turn"), len(name), name


def place_name(p: CoveredPass) -> str:
    """What a pass's place is called: "turn 6", "B3"."""
    place = p.without.place
    return f"turn {place}" if place is not None and p.without.is_corner else (place or "off the laps")


def listed(names: Sequence[str]) -> str:
    """Names in a row: "turns 2, 6 and B3"."""
    turns = [n.removeprefix("turn ") for n in names if n.startswith("turn ")]
    words = [f"turn {turns[0]}" if len(turns) == 1 else f"turns {turns[0]}", *turns[1:]] if turns else []
    words += [n for n in names if not n.startswith("turn ")]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def need_words(floor_kpa: float | None, smallest_l: float | None, where: str = "in every pass") -> str:
    """Which size holds the floor with this precharge and valve."""
    if floor_kpa is None:
        return ""
    if smallest_l is None:
        return phrase(
            "No size up to {} holds {} {} with this precharge and valve: look at baffle, level or a dry sump.",
            in_litres(_MOST_SIZE_L, 0),
            in_kpa(floor_kpa),
            where,
        )
    if smallest_l <= 0.0:
        return phrase("Every pass holds {} without a bottle.", in_kpa(floor_kpa))
    return phrase("{} holds {} {}.", in_litres(smallest_l, 1), in_kpa(floor_kpa), where)


def pass_words(p: CoveredPass) -> str:
    """Where and when a pass is: "turn 6 on lap 3"."""
    where = place_name(p)
    return f"{where} on lap {p.without.lap}" if p.without.lap is not None else where


def taken_words(cover: Cover) -> str:
    """What refilling costs the gallery; "" for nothing that shows."""
    if cover.taken_s < 0.1:
        return ""
    return f"Refilling itself pulls the pressure under the floor for {cover.taken_s:.1f} s: a restrictor slows it."


def rung_words(r: Rung, ladder: Ladder) -> str:
    """One conflict, or that there is none."""
    if r.kind == "floor_impossible":
        return phrase(
            "No accumulator holds {}: this engine charges it to {} hot at most.", in_kpa(r.a), in_kpa(max(r.b, 0.0))
        )
    if r.kind == "precharge_over_normal":
        return phrase("Precharge {} is over the gallery's own {} hot: no oil enters.", in_kpa(r.a), in_kpa(r.b))
    if r.kind == "trigger_over_normal":
        return phrase(
            "The switch shuts at {}, over your pressure of {}{}: it never shuts, and the bottle never stays full.",
            in_kpa(r.a),
            in_kpa(r.b),
            phrase(" at {}", in_celsius(ladder.hot_c)) if ladder.hot_c is not None else " hot",
        )
    if r.kind == "trigger_over_idle":
        return phrase(
            "The trigger is over hot idle ({}): armed, it opens at every stop, {} more in the pan, froth likely. "
            "Switch it off in the pits.",
            in_kpa(r.a),
            in_litres(r.b, 1),
        )
    if r.kind == "plain_empties_at_idle":
        return phrase(
            "An open valve gives back {} at every stop (hot idle {}): shut it before you stop, open it before the "
            "start.",
            in_litres(r.b, 1),
            in_kpa(r.a),
        )
    if r.kind == "trigger_under_floor":
        return phrase("The trigger is {} under the floor: the valve opens too late to hold it.", in_kpa(r.a - r.b))
    if r.kind == "precharge_over_floor":
        return phrase(
            "Precharge {} is over the floor of {}: the bottle is empty before it is needed most.",
            in_kpa(r.a),
            in_kpa(r.b),
        )
    if r.kind == "precharge_far_under_floor":
        return phrase(
            "Precharge is far under the floor: {} stays in the bottle. Raise it toward the floor of {}.",
            in_litres(r.a, 2),
            in_kpa(r.b),
        )
    if r.kind == "trigger_right":
        return phrase("The trigger is {} over the floor: the valve opens in time.", in_kpa(r.a))
    seldom = " It hardly ever refills." if r.is_fault else ""
    return f"The gallery is over the floor, and can refill it, on {100.0 * r.a:.0f} % of the running.{seldom}"


def ladder_words(ladder: Ladder) -> list[str]:
    """Every conflict, the faults first."""
    return [rung_words(r, ladder) for r in ladder.rungs]


def log_cautions(a: Analysis) -> list[str]:
    """What keeps a replay on this log from being trusted as it stands."""
    from basso.recording.roles import Role

    words: list[str] = []
    if a.recording.has(Role.ACCUMULATOR_PRESSURE):
        words.append(
            "This log has an accumulator's pressure: if one was armed, its help is already in the gallery, and a "
            "second one is replayed on top of it."
        )
    if not a.expected.valid:
        words.append(
            f"Normal pressure could not be learned ({a.expected.reason}), so what each litre a minute adds was taken "
            "from the pressure alone: less sure."
        )
    if not a.dips:
        words.append("No pass dips under the floors on this log: there is nothing for a bottle to cover.")
    return words


def masked_words(found: AccumulatorFindings) -> list[tuple[str, bool]]:
    """What an armed accumulator hid in a session, and what its own pressure says of it, each with whether it is to be
    minded; () where none was armed."""
    m = found.masked
    if m is None:
        return []
    by = "its own pressure" if m.how == "bottle's pressure" else "its card alone"
    words: list[tuple[str, bool]] = [
        (
            f"Armed, it hides dips: {len(found.analysis.dips)} show, {len(m.hidden)} there were without it, from {by}.",
            True,
        )
    ]
    if m.discharges_per_lap is not None:
        words.append((f"It gives {m.discharges_per_lap:.0f} times a lap.", False))
    seen = found.measured
    if seen is None:
        return words
    if seen.has_lost_precharge:
        words.append(
            (
                phrase(
                    "Its pressure falls to {}, under the precharge of {} on its card: gas was lost, or it was set so. "
                    "Check it with the oil side empty.",
                    in_kpa(seen.least_kpa),
                    in_kpa(found.fitted.bottle.precharge_driven_kpa),
                ),
                True,
            )
        )
    elif seen.emptied:
        words.append((phrase("Emptied, it reads {}: its precharge is there.", in_kpa(seen.least_kpa)), False))
    if seen.moves:
        words.append(
            (
                phrase(
                    "Fitted, its pressure is met within {}; at a difference of {} it refills at {:.1f} L/min.",
                    in_kpa(seen.fitted_off_kpa),
                    in_kpa(_DIFFERENCE_KPA),
                    20.0 * (_DIFFERENCE_KPA / seen.in_kpa) ** 0.5,
                ),
                False,
            )
        )
    if seen.leak_kpa_per_min is not None:
        is_leak = seen.leak_kpa_per_min > LEAK_KPA_PER_MIN
        what = "a leak, or gas that cools: do the hold test" if is_leak else "it holds"
        words.append(
            (phrase("Shut and stopped it loses {} a minute: {}.", in_kpa(seen.leak_kpa_per_min, 1), what), is_leak)
        )
    if seen.is_slow:
        words.append(
            (phrase("Its valve or line is slow: {} lost at 20 L/min on the way out.", in_kpa(seen.out_kpa)), True)
        )
    return words


_DIFFERENCE_KPA, _MOST_SIZE_L = 100.0, 6.0


def how_sure() -> str:
    """What such predictions were seen to miss (``benchmarks.bottles``, cars it was not set by)."""
    return phrase(
        "How sure: on cars whose bottle, gas and gallery act by other laws, nine of ten passes came within 10 % or {} "
        "of what was said.",
        in_kpa(12.0),
    )


def window_words(found: AccumulatorFindings) -> list[tuple[str, bool]]:
    """Which precharges and triggers hold the floor on the worst lap, and by what margin it is held now; each with
    whether it is to be minded."""
    w = found.window
    if w is None:
        return []
    lap = f" on lap {found.sizes.lap}" if found.sizes is not None and found.sizes.lap is not None else ""
    words: list[tuple[str, bool]] = [
        (phrase("Now it holds every floor{} with {} to spare.", lap, in_kpa(w.margin_kpa)), False)
        if w.margin_kpa >= 0.0
        else (phrase("Now it is short by {} at worst{}.", in_kpa(-w.margin_kpa), lap), True)
    ]
    if w.precharge_kpa is not None:
        words.append(
            (phrase("This size holds with a precharge of {:bare} to {}.", *map(in_kpa, w.precharge_kpa)), False)
        )
    else:
        words.append(("Whatever its precharge, this size does not hold them all.", True))
    if w.trigger_kpa is not None:
        words.append((phrase("It holds with the trigger at {:bare} to {}.", *map(in_kpa, w.trigger_kpa)), False))
    return words


def pan_words(found: AccumulatorFindings) -> list[tuple[str, bool]]:
    """What the bottle's oil does in the pan, and whether the engine had oil before it turned; each with whether it is
    to be minded."""
    words: list[tuple[str, bool]] = []
    p = found.in_pan
    if p is not None:
        emptied = phrase("Emptied into the pan it makes {} of {}", in_litres(p.emptied_l, 2), in_litres(p.charged_l, 2))
        if p.over_l is None:
            words.append((phrase("{}; the crank's sweep was not measured.", emptied), False))
        elif p.over_l > 0.0:
            words.append((phrase("{}, {} over the crank's sweep: froth.", emptied, in_litres(p.over_l, 2)), True))
        else:
            words.append((phrase("{}, {} under the crank's sweep.", emptied, in_litres(-p.over_l, 2)), False))
        if p.given_l >= 0.05 and p.uncover_g is not None and p.uncover_given_g is not None:
            words.append(
                (
                    phrase(
                        "By the worst pass it has given {}: with that in the pan the pickup uncovers at {:.2f} g "
                        "instead of {:.2f}.",
                        in_litres(p.given_l, 2),
                        p.uncover_given_g,
                        p.uncover_g,
                    ),
                    False,
                )
            )
    oil = found.pre_oil
    if oil is not None and found.masked is not None:
        words.append(
            (phrase("Pre-oiled: {} in the gallery before the crank turned.", in_kpa(oil.kpa)), False)
            if oil.is_pre_oiled
            else (
                phrase(
                    "Not pre-oiled: {} in the gallery before the crank turned. Shut charged and opened first, the "
                    "bottle does that.",
                    in_kpa(oil.kpa),
                ),
                False,
            )
        )
    return words


def station_opening(found: AccumulatorFindings) -> tuple[str, str]:
    """The sentence at the top of the station, and the line under it."""
    title, detail = cover_opening(found.cover, found.floor_kpa, found.smallest_l)
    more = []
    if found.masked is not None:
        hidden = len(found.masked.hidden)
        title = f"The accumulator was armed: {len(found.analysis.dips)} dips show of {hidden} there were without it."
        detail = "An armed one hides an uncovered pickup: this session neither cures nor teaches normal. What stands "
        detail += "below is this bottle on the drive as it was without it."
    if found.out_of_reach:
        more.append(f"{found.out_of_reach} more dips are thin oil: no bottle lifts normal.")
    if found.pump_is_assumed:
        more.append("The pump's size is assumed: set it with the bottle.")
    if found.sizes is not None and (best := found.sizes.best) is not None:
        size, precharge = in_litres(best[0], 1), in_kpa(best[1])
        lap = f" on lap {found.sizes.lap}" if found.sizes.lap is not None else ""
        more.append(phrase("{} at {} would hold every floor{}.", size, precharge, lap))
    return title, joined(" ", [detail, *more])
