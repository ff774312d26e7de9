"""A planned trial in words: why so many laps, what to hold, when to stop."""

from __future__ import annotations

from basso.sentence import in_celsius, in_kpa, phrase
from basso.trial.plan import LAPS_TRIED, TrialPlan
from basso.words.trial import places_words

CAUTIONS = (
    "A real low-pressure warning: lift, clutch, stop the engine. Do not restart until the cause is found.",
    "Closed course only. Jack stands, hot oil, a charged accumulator: the usual care at every change.",
)


def plan_reasons(p: TrialPlan) -> list[str]:
    """What the number of laps rests on, a sentence each."""
    s = p.scatter
    words: list[str] = [
        phrase(
            "At {} this car's lowest pressure scatters by {} from lap to lap and by {} from pass to pass ({} passes of "
            "{} laps).",
            places_words([x.label for x in p.places]),
            in_kpa(s.lap_kpa, 1),
            in_kpa(s.pass_kpa, 1),
            s.passes,
            s.laps,
        )
    ]
    if p.laps_per_side is None:
        best = max(p.power_at, key=lambda x: x[1])
        words.append(
            phrase(
                "With {} laps a side {} is seen in {:.0f} % of trials, short of the {:.0f} % wanted: choose a larger "
                "effect, or make laps more alike (pace, oil temperature, fuel).",
                LAPS_TRIED[-1],
                in_kpa(p.effect_kpa, signed=True),
                100.0 * best[1],
                100.0 * p.power,
            )
        )
    else:
        words.append(
            phrase(
                "With {} flying laps a side {} is told in {:.0f} % of trials, at the trial's own 95 % level.",
                p.laps_per_side,
                in_kpa(p.effect_kpa, signed=True),
                100.0 * (p.reached or 0.0),
            )
        )
        words.append("A-B-B-A: what drifts through the day (track, fuel, tyres, oil) cancels. Change one thing only.")
    if s.laps < 6:
        words.append(f"The scatter rests on {s.laps} laps only; log more and plan again.")
    return words


def stop_when(p: TrialPlan) -> list[str]:
    """When to end a run, a sentence each."""
    words: list[str] = [
        CAUTIONS[0],
        "Pressure under half of normal for a third of a second in any pass: end the run, read the log first.",
    ]
    if p.hottest_c is not None:
        words.append(phrase("Oil over {}: cool down; that lap does not count.", in_celsius(p.hottest_c + 8.0)))
    words.append("Pressure off zero with the engine stopped: the sensor moved; check it before going on.")
    return words
