"""The shortest sound chain of parts from a port to a sensor.

A shortest-path search over open ends: every joint is one thread and one size, male into female; what does not mate is
no edge, so no chain with a mismatched taper can come out. Fewest parts first, then the least length that hangs off the
port before the line.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cache
from itertools import count

import numpy as np

from basso.fitting.threads import End, parse_end, table, threads
from basso.oil.grades import Grade, grade
from basso.oil.viscosity import walther
from basso.sentence import in_celsius, phrase

_MOST_PARTS = 7
_LINE_OIL = "10W-40"


@dataclass(frozen=True, slots=True)
class Part:
    """A generic part.

    Attributes:
        ends: in and out, and the branch of a tee.
        length_mm: what it adds; ``line``: it is flexible, of ``bore_mm``.
        cost: in the user's money; ``lead_days`` until it is there; None where not written down.
    """

    name: str
    ends: tuple[End, ...]
    length_mm: float
    line: bool = False
    bore_mm: float | None = None
    cost: float | None = None
    lead_days: float | None = None

    def __str__(self) -> str:
        return f"{self.name}, {' to '.join(str(e) for e in self.ends[:2])}" + (
            f", branch {self.ends[2]}" if len(self.ends) > 2 else ""
        )


@dataclass(frozen=True, slots=True)
class Placed:
    """A part as it is turned in the chain: ``enters`` the end before it; ``leads`` on; ``branch`` of a tee with what is
    on it."""

    part: Part
    enters: End
    leads: End
    branch: tuple[Placed, ...] = ()
    branch_end: End | None = None


@dataclass(frozen=True, slots=True)
class Plan:
    """A chain from port to sensor, or why there is none.

    Attributes:
        chain: in order from the port; empty also where the sensor goes straight in.
        possible: False when no chain of these parts does it; then ``missing`` says what would.
        cautions: sentences.
        steps: what to do, in order.
    """

    port: End
    sensor: End
    switch: End | None
    possible: bool
    chain: tuple[Placed, ...] = ()
    missing: str = ""
    cautions: tuple[str, ...] = field(default=())
    steps: tuple[str, ...] = field(default=())

    @property
    def parts(self) -> tuple[Part, ...]:
        """Every part to be bought, branches included."""
        return tuple(p for placed in self.chain for p in (placed.part, *(b.part for b in placed.branch)))

    @property
    def purchase(self) -> str:
        """Cost and lead time of the parts, as far as they are written down; "" where nothing is."""
        known = [p.cost for p in self.parts if p.cost is not None]
        days = [p.lead_days for p in self.parts if p.lead_days is not None]
        short = "" if len(known) == len(self.parts) else f" for {len(known)} of {len(self.parts)} parts"
        said = [f"{sum(known):.2f}{short}"] if known else []
        late = "" if len(days) == len(self.parts) else " at least"
        return ", ".join([*said, *([f"there in {max(days):g} days{late}"] if days else [])])

    @property
    def overhang_mm(self) -> float:
        """What hangs stiffly off the port: everything before a flexible line."""
        stiff = 0.0
        for placed in self.chain:
            if placed.part.line:
                break
            stiff += placed.part.length_mm
        return stiff


@cache
def shipped_parts() -> tuple[Part, ...]:
    """The catalogue that ships."""
    return tuple(
        Part(
            p["name"],
            tuple(parse_end(e) for e in p["ends"]),
            float(p["length_mm"]),
            p.get("line", False),
            p.get("bore_mm"),
        )
        for p in table()["part"]
    )


def joints(plan: Plan) -> list[tuple[End, End]]:
    """Every joint of a plan, as the two ends that meet; for proof that each is sound."""
    met = []
    now = plan.port
    for placed in plan.chain:
        met.append((now, placed.enters))
        if placed.branch_end is not None and plan.switch is not None:
            branch = placed.branch_end
            for b in placed.branch:
                met.append((branch, b.enters))
                branch = b.leads
            met.append((branch, plan.switch))
        now = placed.leads
    return [*met, (now, plan.sensor)]


def plan_fit(
    port: End,
    sensor: End,
    switch: End | None = None,
    on_line: bool = True,
    parts: Sequence[Part] | None = None,
    room_mm: float | None = None,
) -> Plan:
    """Find the chain.

    Args:
        port: the engine's open end.
        sensor: the sensor's own end.
        switch: the warning switch's end, where it stays; the chain then holds a tee whose branch takes it.
        on_line: the sensor hangs on a flexible line (it should); False: straight on the block.
        parts: what may be used (default: the catalogue that ships).
        room_mm: as far may stiff parts stick out of the port.
    """
    known = tuple(parts) if parts is not None else shipped_parts()
    chain = _search(port, sensor, switch, on_line, known, room_mm)
    if chain is None:
        return Plan(port, sensor, switch, False, missing=_missing(port, sensor, switch, on_line, known, room_mm))
    plan = Plan(port, sensor, switch, True, tuple(chain))
    return Plan(
        port=port,
        sensor=sensor,
        switch=switch,
        possible=True,
        chain=plan.chain,
        missing="",
        cautions=tuple(_cautions(plan, on_line)),
        steps=tuple(_steps(plan)),
    )


def _turns(part: Part) -> Iterable[tuple[End, End, End | None]]:
    """Ways a part can stand in a chain: (enters, leads, branch)."""
    if len(part.ends) == 2:
        a, b = part.ends
        yield a, b, None
        if a != b:
            yield b, a, None
        return
    for i, enters in enumerate(part.ends):
        others = [e for j, e in enumerate(part.ends) if j != i]
        yield enters, others[0], others[1]
        if others[0] != others[1]:
            yield enters, others[1], others[0]


def _search(
    port: End, sensor: End, switch: End | None, on_line: bool, parts: Sequence[Part], room_mm: float | None = None
) -> list[Placed] | None:
    """Dijkstra over (open end, tee still to come, line still to come) by (parts, stiff length).

    With little room a longer chain of shorter parts may be the one that fits, so a state is looked at again when it is
    reached with less stiff length.
    """
    order = count()
    start = (port, switch is not None, on_line)
    queue: list[tuple[int, float, int, tuple[End, bool, bool], tuple[Placed, ...]]] = [(0, 0.0, next(order), start, ())]
    least: dict[tuple[End, bool, bool], float] = {}
    while queue:
        used, stiff, _, state, chain = heapq.heappop(queue)
        if stiff >= least.get(state, float("inf")):
            continue
        least[state] = stiff
        end, needs_tee, needs_line = state
        if end.mate == sensor and not needs_tee and not needs_line:
            return list(chain)
        if used >= _MOST_PARTS:
            continue
        for part in parts:
            for enters, leads, branch_end in _turns(part):
                if enters != end.mate or (branch_end is not None and not needs_tee) or (part.line and not needs_line):
                    continue
                branch: list[Placed] | None = []
                if branch_end is not None and switch is not None:
                    plain = [p for p in parts if len(p.ends) == 2 and not p.line]
                    branch = _search(branch_end, switch, None, False, plain)
                    if branch is None:
                        continue
                # The tee stands at the block, before the line: the switch must not wait for a thin line.
                if branch_end is not None and on_line and not needs_line:
                    continue
                placed = Placed(part, enters, leads, tuple(branch or ()), branch_end)
                more = used + 1 + len(branch or ())
                hangs = (
                    stiff
                    + (part.length_mm if needs_line and not part.line else 0.0)
                    + (part.length_mm if not on_line else 0.0)
                )
                if room_mm is not None and hangs > room_mm:
                    continue
                after = (leads, needs_tee and branch_end is None, needs_line and not part.line)
                heapq.heappush(queue, (more, hangs, next(order), after, (*chain, placed)))
    return None


def _missing(
    port: End, sensor: End, switch: End | None, on_line: bool, parts: Sequence[Part], room_mm: float | None
) -> str:
    """What would make it possible: the first requirement that fails by itself, in words."""
    if room_mm is not None and (longer := _search(port, sensor, switch, on_line, parts)) is not None:
        out = Plan(port, sensor, switch, True, tuple(longer)).overhang_mm
        return (
            f"There is room for {room_mm:g} mm of stiff parts; the shortest chain sticks out {out:g} mm. "
            "Shorter adapters, or another port, would."
        )
    if _search(port, sensor, None, False, parts) is None:
        return (
            f"No chain of these parts leads from the {port} port to the {sensor} sensor; an adapter "
            f"{port.mate} to {sensor.mate} would."
        )
    if on_line and _search(port, sensor, None, True, parts) is None:
        return (
            f"No flexible line fits between the {port} port and the {sensor} sensor; a line {port.mate} to "
            f"{sensor.mate} would."
        )
    return (
        f"No tee takes the {switch} warning switch here; a tee {port.mate}, {port} and "
        f"{switch.mate if switch else ''} would."
    )


_DENSITY_KG_M3 = 870.0
COLD_LINE_C, WARM_LINE_C = 10.0, 60.0
"""Oil in a line does not flow: it is as cold as the air about it, on a cold morning and beside a hot engine
(defaults)."""


def line_viscosity_pas(temperature_c: float, oil: Grade | None = None) -> float:
    """Dynamic viscosity of the oil in a line, Pa·s: Walther's equation at its own temperature, times its density."""
    return float(walther(oil or grade(_LINE_OIL)).viscosity_mm2ps(np.array(temperature_c))) * 1e-6 * _DENSITY_KG_M3


def line_delay_s(
    length_m: float, bore_mm: float, viscosity_pas: float, air_ml: float = 0.0, pressure_kpa: float = 300.0
) -> float:
    """Time constant of a line with a sensor at its end, s: resistance by compliance.

    Resistance 128 μL/(πd⁴) (Hagen and Poiseuille); compliance of braided hose 3e−13 m³/Pa a metre (default) and of
    trapped air V/p, p absolute. The oil in a line is as cold as the air about it: see :func:`line_viscosity_pas`.
    """
    resistance = 128.0 * viscosity_pas * length_m / (3.141592653589793 * (bore_mm / 1000.0) ** 4)
    compliance = 3e-13 * length_m + air_ml * 1e-6 / ((pressure_kpa + 101.3) * 1000.0)
    return resistance * compliance


def _cautions(plan: Plan, on_line: bool) -> list[str]:
    said = []
    if not on_line:
        said.append(
            f"The sensor hangs on the block, {plan.overhang_mm:.0f} mm from it: vibration kills it. A "
            "flexible line keeps it alive."
        )
    elif plan.overhang_mm > 90.0:
        said.append(
            f"{plan.overhang_mm:.0f} mm of stiff parts hang off the port before the line: look for room "
            "to belts and exhaust."
        )
    for placed in plan.chain:
        if placed.part.line and placed.part.bore_mm is not None:
            length = placed.part.length_mm / 1000.0
            warm, cold = (line_viscosity_pas(t) for t in (WARM_LINE_C, COLD_LINE_C))
            bore = placed.part.bore_mm
            said.append(
                phrase(
                    "The line delays by about {:.2f} s with {} at {} in it and {:.2f} s at {}; with a bubble of "
                    "1 mL {:.2f} and {:.2f} s: let it rise to the engine so that air climbs out, and bleed it.",
                    line_delay_s(length, bore, warm),
                    _LINE_OIL,
                    in_celsius(WARM_LINE_C),
                    line_delay_s(length, bore, cold),
                    in_celsius(COLD_LINE_C),
                    line_delay_s(length, bore, warm, 1.0),
                    line_delay_s(length, bore, cold, 1.0),
                )
            )
    used = {e.thread for pair in joints(plan) for e in pair}
    if any(threads()[t].taper for t in used):
        said.append("Tapers of 1/8 NPT and 1/8 BSPT start into each other and do not seal: check every part's marking.")
    if plan.switch is None:
        said.append("Without the factory warning switch nobody warns when the logger is off: keep it, on a tee.")
    said.append(
        "Clear of belts, fans and exhaust; sleeved from heat; clamped to the body. Oil on a hot exhaust starts fires."
    )
    return said


def _steps(plan: Plan) -> list[str]:
    steps = ["Engine cold, ignition off, an accumulator vented. Catch the oil that runs out."]

    def screwed(what: str, end: End, to: str) -> None:
        seal = threads()[end.thread].seal
        steps.append(f"{what[:1].upper()}{what[1:]} ({end}) to {to}: tight by {seal}.")

    now = "the engine's port"
    for placed in plan.chain:
        name = f"the {placed.part.name.split(',')[0]}"
        screwed(name, placed.enters, now)
        if placed.branch_end is not None and plan.switch is not None:
            on = f"the branch of {name}"
            for b in placed.branch:
                screwed(f"the {b.part.name.split(',')[0]}", b.enters, on)
                on = f"that {b.part.name.split(',')[0]}"
            screwed("the warning switch", plan.switch, on)
        now = name
    screwed("the sensor", plan.sensor, now)
    return [
        *steps,
        "Wait for the sealant's cure time: the pressure is highest on a cold start.",
        "Leak check cold, after 10 minutes, the next day and after the first hot run.",
        "Log a few seconds with the engine stopped: the zero is proved by them.",
    ]
