"""What is asked of normal."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from basso.oil.grades import Grade
from basso.pressure.floors import Floor

TARGET_C, OIL_L = 110.0, 4.5
"""Oil temperature wanted and oil in the engine, where the card does not say (defaults)."""


@dataclass(frozen=True, slots=True)
class Question:
    """What the user asks of normal; None: taken from the session.

    Attributes:
        rpm: racing speed; ``hot_c``: hottest oil; ``start_c``: of a cold start; ``margin_kpa``: over the floor.
        listed: grades the maker lists; ``pump_cm3``: a turn of the crank; ``window_kpa``: the maker's
            running window, from and to; ``target_c``, ``oil_l``: the oil temperature wanted, and how much oil is in.
        data_sheets: viscosities of oils that the user knows better, by name; ``ceilings``: up to which oil temperature
            each is used, by name.
        lines: what the owner holds the car to beside the floors: what each is called ("design target"), and the floor.
        window_at: engine speed and oil temperature that the window is quoted at, None: racing speed, hottest oil;
            ``maker_port``: where on the oil's way the maker's figures are read, "" where not known.
        clearance: the engine's clearance class, "" where not known.
    """

    rpm: float | None = None
    hot_c: float | None = None
    start_c: float = 10.0
    margin_kpa: float = 0.0
    listed: tuple[str, ...] = ()
    pump_cm3: float | None = None
    window_kpa: tuple[float | None, float | None] = (None, None)
    target_c: float | None = None
    oil_l: float | None = None
    data_sheets: Mapping[str, Grade] = field(default_factory=lambda: MappingProxyType({}))
    ceilings: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    lines: tuple[tuple[str, Floor], ...] = ()
    window_at: tuple[float | None, float | None] = (None, None)
    maker_port: str = ""
    clearance: str = ""
