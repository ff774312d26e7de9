"""What an engine's clearances ask of the oil's flow, and what pressure over the floor costs: neither a virtue nor a
fault."""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType

from basso.findings.normal.adviser import TYPICAL_PUMP_CM3

WIDER = MappingProxyType({"production": 1.0, "loose": 1.25, "race": 1.5, "extreme": 1.8})
"""Clearance over a production one's, by its class (defaults; the engine builder's figures go before them)."""


@dataclass(frozen=True, slots=True)
class FlowNeed:
    """What a clearance class asks for.

    Attributes:
        times: oil that passes the bearings at the same pressure and viscosity over what production clearances pass:
            with the cube of the clearance (laminar flow through a thin gap).
        pump_l_per_min: the pump gives, at ``rpm``; ``assumed``: its size is not on the card.
        over_kpa: normal over the floor there; ``kw``: pump work in that; None where nothing is expected.
    """

    clearance: str
    times: float
    rpm: float
    pump_l_per_min: float
    assumed: bool
    over_kpa: float | None
    kw: float | None


def flow_need(clearance: str, rpm: float, pump_cm3: float | None, over_kpa: float | None) -> FlowNeed | None:
    """What a clearance class asks for at an engine speed; None for a class that is not known."""
    if clearance not in WIDER:
        return None
    flow = (pump_cm3 or TYPICAL_PUMP_CM3) * rpm / 1000.0
    kw = max(over_kpa, 0.0) * flow / 60_000.0 if over_kpa is not None else None
    return FlowNeed(clearance, WIDER[clearance] ** 3, rpm, flow, pump_cm3 is None, over_kpa, kw)
