"""Which oil this engine wants: for each grade, up to which oil temperature it holds the floor at racing speed.

The engine's own fitted curve is asked, with each oil taken as the present one at the temperature at which it is as
thick: pump and bearings know an oil by its viscosity alone. Away from the temperatures that were driven the curve's own
spread grows, and with it the interval.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

import numpy as np

from basso.normal.cells import REFERENCE_RPM
from basso.normal.expected import ExpectedPressure
from basso.oil.grades import Grade
from basso.oil.viscosity import as_thick, walther
from basso.pressure.floors import Floor, highest_floor, moves_with_normal
from basso.sentence import in_celsius, in_kpa, phrase
from basso.units import FloatArray

_TEMPERATURES = np.arange(50.0, 171.0, 0.5)
HOTTEST_C = float(_TEMPERATURES[-1])
TRACK_TO_C = (("20", 110.0), ("30", 118.0), ("40", 130.0), ("50", 150.0), ("60", 150.0))
"""The rule "heavier for the track": up to which oil temperature a hot grade is run (default; practice, no physics)."""
STANDS_C = 150.0
"""What oils stand up to (default), where neither practice nor the user sets a lower ceiling."""
WARMING_RPM = 2000.0
"""As fast an engine is run while its oil warms (default)."""
TYPICAL_PUMP_CM3 = 11.0
"""A turn of the crank, for a two-litre engine (default, where the engine's card does not say)."""


@dataclass(frozen=True, slots=True)
class AskedAt:
    """What the oil has to do.

    Attributes:
        rpm: racing speed; ``hot_c``: the hottest oil to reckon with; ``start_c``: of a cold start.
        margin_kpa: wanted over the floor.
        listed: grades the maker lists; empty when not known.
        pump_cm3: delivered a turn of the crank, or None.
        window_kpa: the maker's running window, from and to; None where one side is not given.
        window_at: engine speed and oil temperature that it is quoted at; None: racing speed, the hottest oil.
        ceilings: up to which oil temperature each oil is used, by name, where the user has set one.
    """

    rpm: float
    hot_c: float
    start_c: float = 10.0
    margin_kpa: float = 0.0
    listed: tuple[str, ...] = ()
    pump_cm3: float | None = None
    window_kpa: tuple[float | None, float | None] = (None, None)
    window_at: tuple[float | None, float | None] = (None, None)
    ceilings: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True, slots=True)
class GradeAdvice:
    """What one grade does on this engine.

    Attributes:
        holds_to_c: hottest oil at which the floor and the margin are met at racing speed, None where they never are;
            ``low_c``, ``high_c``: its 90 % interval; :data:`HOTTEST_C` means that or more.
        at_hot_kpa: expected at racing speed and the hottest oil, with ``at_hot_low_kpa`` and ``at_hot_high_kpa``.
        over_kpa: of it over floor and margin; ``pump_kw``: pump work in what is over.
        driven: True where the temperature it stands for lies in what was driven, not beyond.
        start_mm2ps: viscosity at a cold start.
        listed: in the maker's list; None when there is none.
        holds: True where the lower end of the interval reaches the hottest oil; False where not even the upper end
            does.
        track: True where the floor rule "heavier for the track" runs it at that temperature.
        relief_under_c: oil colder than this keeps the relief valve spilling at :data:`WARMING_RPM`, None where it never
            opens
            there: what it spills does not reach the bearings.
        ceiling_c: up to which oil temperature it is used; ``ceiling_set``: by the user, not by practice.
    """

    grade: Grade
    holds_to_c: float | None
    low_c: float | None
    high_c: float | None
    at_hot_kpa: float
    at_hot_low_kpa: float
    at_hot_high_kpa: float
    over_kpa: float
    pump_kw: float
    driven: bool
    start_mm2ps: float
    listed: bool | None
    holds: bool | None
    track: bool
    relief_under_c: float | None
    ceiling_c: float
    ceiling_set: bool

    @property
    def limit_c(self) -> float | None:
        """The oil temperature to stay under with this grade: where the pressure reaches the floor, or its ceiling if
        that is sooner."""
        return min(self.holds_to_c, self.ceiling_c) if self.holds_to_c is not None else None

    @property
    def pressure_first(self) -> bool:
        """True where the pressure sets that limit, not the ceiling."""
        return self.holds_to_c is None or self.holds_to_c <= self.ceiling_c


@dataclass(frozen=True, slots=True)
class OilAdvice:
    """Every grade, lightest first, and what follows from them.

    Attributes:
        lightest: the lightest that surely holds, of the maker's list where there is one; None when none does.
        heavier: what the floor rule "heavier for the track" would run.
        floor_kpa: at racing speed, without the margin; ``rule``: which rule sets it.
        cautions: what to say with it.
    """

    asked: AskedAt
    grades: tuple[GradeAdvice, ...]
    lightest: GradeAdvice | None
    heavier: GradeAdvice | None
    floor_kpa: float
    rule: str
    cautions: tuple[str, ...]
    window: str
    """How normal lies to the maker's window, with what the surplus costs; "" without one."""


def advise(
    expected: ExpectedPressure, floors: Sequence[Floor], oils: Sequence[Grade], asked: AskedAt
) -> OilAdvice | None:
    """Ask the fitted curve for every oil; None where normal is not known by oil temperature, or no floor has a
    pressure.

    A floor drawn from normal is none here: normal itself sinks with the oil.
    """
    absolute = [f for f in floors if not moves_with_normal(f)]
    if not expected.valid or expected.temperature_range_c is None or not absolute:
        return None
    line = highest_floor(absolute, np.array([asked.rpm]), np.array([np.nan]))
    floor, rule = float(line.kpa[0]), line.rule_at(0) or ""
    rows = [_advice(expected, oil, floor, asked) for oil in sorted(oils, key=_hot_viscosity)]
    allowed = [r for r in rows if r.listed is not False]
    lightest = next((r for r in allowed if r.holds and not (r.ceiling_set and r.ceiling_c < asked.hot_c)), None)
    heavier = next((r for r in rows if r.track and r.at_hot_kpa >= floor + asked.margin_kpa), None)
    return OilAdvice(
        asked=asked,
        grades=tuple(rows),
        lightest=lightest,
        heavier=heavier,
        floor_kpa=floor,
        rule=rule,
        cautions=_cautions(expected, rows, lightest, asked),
        window=_window(expected, asked),
    )


def _hot_viscosity(oil: Grade) -> tuple[float, float]:
    return oil.at_100_mm2ps, oil.at_40_mm2ps


def _advice(expected: ExpectedPressure, oil: Grade, floor_kpa: float, asked: AskedAt) -> GradeAdvice:
    heat = np.append(_TEMPERATURES, asked.hot_c)
    like = as_thick(oil, heat, expected.oil)
    rpm = np.full(heat.shape, asked.rpm)
    low, high = expected.temperature_range_c or (0.0, 0.0)
    reaching = expected.down_to(float(like.min()))
    middle = reaching.at(rpm, like)
    under, over = reaching.interval(rpm, like)
    wanted = floor_kpa + asked.margin_kpa
    holds_to, low_c, high_c = (_hottest(kpa[:-1], wanted) for kpa in (middle, under, over))
    surely, perhaps = low_c is not None and low_c >= asked.hot_c, high_c is not None and high_c >= asked.hot_c
    pump = asked.pump_cm3 or TYPICAL_PUMP_CM3
    spare = float(middle[-1]) - wanted
    run_to = _run_to_c(oil)
    own_ceiling = ceiling_of(oil, asked.ceilings)
    return GradeAdvice(
        grade=oil,
        holds_to_c=holds_to,
        low_c=low_c,
        high_c=high_c,
        at_hot_kpa=float(middle[-1]),
        at_hot_low_kpa=float(under[-1]),
        at_hot_high_kpa=float(over[-1]),
        over_kpa=spare,
        pump_kw=max(spare, 0.0) * pump * asked.rpm / 1e6 / 60.0,
        driven=bool(low - 3.0 <= like[-1] <= high + 3.0),
        start_mm2ps=float(walther(oil).viscosity_mm2ps(np.array([asked.start_c]))[0]),
        listed=_is_listed(oil, asked.listed) if asked.listed else None,
        holds=True if surely else None if perhaps else False,
        track=run_to is not None and run_to >= asked.hot_c,
        relief_under_c=relief_under_c(expected, oil),
        ceiling_c=own_ceiling if own_ceiling is not None else usual_ceiling_c(oil),
        ceiling_set=own_ceiling is not None,
    )


def relief_under_c(expected: ExpectedPressure, oil: Grade) -> float | None:
    """The oil temperature under which the relief valve spills at :data:`WARMING_RPM`: where pump and bearings alone
    make its pressure.

    Followed to cold oil on the form, so as good as the form is there. None where it does not even at 0 °C.
    """
    heat = np.arange(0.0, 121.0, 0.5)
    like = as_thick(oil, heat, expected.oil)
    rpm = np.full(heat.shape, WARMING_RPM)
    reaching = expected.down_to(float(like.min()))
    free = replace(reaching, relief_kpa=1e9).at(rpm, like)
    spills = np.flatnonzero(free >= expected.relief_kpa * (WARMING_RPM / REFERENCE_RPM) ** expected.relief_rise)
    return float(heat[spills[-1]]) if spills.size else None


@dataclass(frozen=True, slots=True)
class FloorMet:
    """The oil temperature at which normal falls to the floor at an engine speed, with its 90 % interval; None where it
    is under it at any; :data:`HOTTEST_C` means that or more."""

    rpm: float
    at_c: float | None
    low_c: float | None
    high_c: float | None


def floor_met(expected: ExpectedPressure, floors: Sequence[Floor], rpm: Sequence[float]) -> tuple[FloorMet, ...]:
    """Where normal meets the highest floor that is a pressure, at each engine speed; empty where it is not known by
    temperature."""
    absolute = [f for f in floors if not moves_with_normal(f)]
    if not expected.valid or expected.temperature_range_c is None or not absolute:
        return ()
    met = []
    for n in rpm:
        wanted = float(highest_floor(absolute, np.array([n]), np.array([np.nan])).kpa[0])
        speed = np.full(_TEMPERATURES.shape, n)
        low, high = expected.interval(speed, _TEMPERATURES)
        met.append(FloorMet(n, *(_hottest(kpa, wanted) for kpa in (expected.at(speed, _TEMPERATURES), low, high))))
    return tuple(met)


def usual_ceiling_c(oil: Grade) -> float:
    """Up to which oil temperature practice runs a grade, else what oils stand up to."""
    return _run_to_c(oil) or STANDS_C


def _run_to_c(oil: Grade) -> float | None:
    hot_grade = re.match(r"(?:SAE |\d+W-)?(\d+)", oil.name)
    return dict(TRACK_TO_C).get(hot_grade[1]) if hot_grade is not None else None


def ceiling_of(oil: Grade, ceilings: Mapping[str, float]) -> float | None:
    """The ceiling set for an oil, or for the grade that it was measured of; None where none is."""
    return next((c for name, c in ceilings.items() if _is_listed(oil, (name,))), None)


def _is_listed(oil: Grade, listed: Sequence[str]) -> bool:
    """True for a grade of the list, and for what a laboratory measured of one ("10W-40 as measured on …")."""
    return any(oil.name == name or oil.name.startswith(f"{name} ") for name in listed)


def _hottest(kpa: FloatArray, wanted_kpa: float) -> float | None:
    """Hottest oil up to which the pressure holds; the pressure falls with temperature."""
    below = np.flatnonzero(kpa < wanted_kpa)
    if not below.size:
        return HOTTEST_C
    at = int(below[0])
    if at == 0:
        return None
    return float(np.interp(-wanted_kpa, -kpa[at - 1 : at + 1], _TEMPERATURES[at - 1 : at + 1]))


def _window(expected: ExpectedPressure, asked: AskedAt) -> str:
    """Against the maker's running window: too high is pump work and heat, neither virtue nor fault unless over its
    upper side."""
    low, high = asked.window_kpa
    if low is None and high is None:
        return ""
    rpm, heat = (
        own if own is not None else usual for own, usual in zip(asked.window_at, (asked.rpm, asked.hot_c), strict=True)
    )
    kpa = float(expected.at(np.array([rpm]), np.array([heat]))[0])
    at = phrase("{} is normal at {:.0f} rpm and {}", in_kpa(kpa), rpm, in_celsius(heat))
    if low is not None and kpa < low:
        return phrase("{}: {} under the maker's window.", at, in_kpa(low - kpa))
    if high is not None and kpa > high:
        kw = (kpa - high) * (asked.pump_cm3 or TYPICAL_PUMP_CM3) * rpm / 1e6 / 60.0
        return phrase(
            "{}: {} over the maker's window: a lighter grade is affordable, about {:.2f} kW of pump work.",
            at,
            in_kpa(kpa - high),
            kw,
        )
    return phrase("{}: within the maker's window.", at)


def _cautions(
    expected: ExpectedPressure, rows: Sequence[GradeAdvice], lightest: GradeAdvice | None, asked: AskedAt
) -> tuple[str, ...]:
    said = []
    if lightest is None:
        said.append(
            "No oil surely holds the floor at that temperature: cool the oil before thickening it, and "
            "ask whether the floor, "
            "the clearances or the pump are what is wrong."
        )
    elif not lightest.driven:
        low, high = expected.temperature_range_c or (0.0, 0.0)
        said.append(
            phrase(
                "{} at {} is thinner or thicker than anything driven ({:bare} to {} with {}): outside the "
                "data, and the interval is as wide as it says.",
                lightest.grade.name,
                in_celsius(asked.hot_c),
                in_celsius(low),
                in_celsius(high),
                expected.oil.name,
            )
        )
    outside = [r for r in rows if r.holds and r.listed is False]
    if outside and (lightest is None or _hot_viscosity(outside[0].grade) < _hot_viscosity(lightest.grade)):
        said.append(f"{outside[0].grade.name} would hold too, but is not in the maker's list.")
    said.append(
        "A thicker oil that runs at a lower oil temperature is a warning, not a success: less flow may "
        "carry less heat from the "
        "bearings. High oil temperature is cured by a cooler, not by viscosity."
    )
    return tuple(said)
