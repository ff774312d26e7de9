"""How a recording is judged."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from basso.memory.decisions import Decision
from basso.normal.expected import ExpectedPressure
from basso.oil.grades import Grade, usual
from basso.pressure.dips import DipRules
from basso.pressure.earlier import KeptNormal, Known
from basso.pressure.floors import DEFAULT_FLOORS, Floor
from basso.track.circuit_map import CircuitMap


@dataclass(frozen=True, slots=True)
class JudgeOptions:
    """How to judge.

    Attributes:
        floors: the rules; the highest applies.
        rules: gate, least length, joining.
        refused: (channel name, kind) of corrections the user refused.
        edited: (channel name, kind, value) of corrections that are made by another amount than was found.
        normal: expected pressure from earlier recordings, or None to learn it from this one.
        oil: whose viscosity the expected pressure follows.
        known: what the garage knows of the sensor and of the car's earlier sessions, or None.
        by_kept: hold the recording to the normal that the garage keeps of its build, where it keeps one; else that is
            only used where the recording shows none of its own.
        circuits: maps of circuits that it may have been driven on, beside those the garage keeps.
    """

    floors: tuple[Floor, ...] = DEFAULT_FLOORS
    rules: DipRules = field(default_factory=DipRules)
    refused: frozenset[tuple[str, str]] = frozenset()
    edited: frozenset[tuple[str, str, float]] = frozenset()
    normal: ExpectedPressure | None = None
    oil: Grade = field(default_factory=usual)
    known: Known | None = None
    by_kept: bool = False
    circuits: tuple[CircuitMap, ...] = ()

    @property
    def maps(self) -> tuple[CircuitMap, ...]:
        """Every map that the recording may lie on, the likeliest first."""
        return (*(self.known.circuits if self.known is not None else ()), *self.circuits)

    @property
    def kept(self) -> KeptNormal | None:
        """The normal that the garage keeps of the recording's build; None where it keeps none."""
        return self.known.in_force if self.known is not None else None

    def by(self, decision: Decision | None, known: Known | None = None) -> JudgeOptions:
        """The same with what was decided about one log's corrections, and with what is known of its car and its oil."""
        options = self if known is None else replace(self, known=known, oil=known.oil or self.oil)
        if decision is None or decision == Decision():
            return options
        return replace(options, refused=self.refused | decision.refused, edited=self.edited | decision.edited)
