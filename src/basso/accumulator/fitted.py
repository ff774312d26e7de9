"""An accumulator as it is fitted to an engine, and its file: TOML, kPa gauge, litres, °C."""

from __future__ import annotations

import math
import tomllib
from dataclasses import dataclass, field, replace
from typing import Any

from basso.accumulator import gas, valve
from basso.accumulator.gas import SETTLE_S, Bottle
from basso.accumulator.valve import Line, Valve
from basso.errors import InputError
from basso.plain_text import plain
from basso.sentence import in_kpa, phrase

SCHEMA = "basso.fitted/1"
_BOTTLE = ("total", "precharge", "set_at", "gas", "friction", "settle")
_MOST_TEXT = 20_000


@dataclass(frozen=True, slots=True)
class Fitted:
    """An accumulator, its valve and line, and the pump it stands in for.

    Attributes:
        name: what it is called.
        pump_cm3_per_rev: what the oil pump delivers for a turn of the crank; None where nobody said.
        floor_kpa: what it is to hold; None: the floors of the session.
    """

    bottle: Bottle = field(default_factory=lambda: Bottle(2.0, 70.0, settle_s=SETTLE_S))
    valve: Valve = field(default_factory=Valve)
    line: Line = field(default_factory=Line)
    pump_cm3_per_rev: float | None = None
    floor_kpa: float | None = None
    name: str = ""


def checked(fitted: Fitted) -> Fitted:
    """It, if there can be such a one.

    Raises:
        InputError: a value none has.
    """
    gas.checked(fitted.bottle)
    valve.checked(fitted.valve, fitted.line)
    if fitted.pump_cm3_per_rev is not None and not 0.1 <= fitted.pump_cm3_per_rev <= 500.0:
        raise InputError(f"A pump of {fitted.pump_cm3_per_rev:g} cm³ for a turn of the crank: give 0.1 to 500.")
    if fitted.floor_kpa is not None and not 0.0 <= fitted.floor_kpa <= gas.MOST_KPA:
        raise InputError(
            phrase("A floor of {}: give one between 0 and {}.", in_kpa(fitted.floor_kpa), in_kpa(gas.MOST_KPA))
        )
    return fitted


def fitted_text(fitted: Fitted) -> str:
    """An accumulator as its file; :func:`fitted_of` gives it back."""
    b, v, line = fitted.bottle, fitted.valve, fitted.line
    name = fitted.name.replace("\\", "\\\\").replace('"', '\\"')
    lines = [f'schema = "{SCHEMA}"', f'name = "{name}"']
    lines += [
        f"{k} = {x!r}" for k, x in (("floor", fitted.floor_kpa), ("pump", fitted.pump_cm3_per_rev)) if x is not None
    ]
    lines += ["", "[bottle]", f"total = {b.total_l!r}", f"precharge = {b.precharge_kpa!r}", f"set_at = {b.set_c!r}"]
    lines += [f"gas = {b.gas_c!r}", f"friction = {b.friction_kpa!r}"]
    lines += [f"settle = {b.settle_s!r}"] if b.settle_s is not None else []
    lines += ["", "[valve]"]
    lines += [f"trigger = {v.trigger_kpa!r}"] if v.trigger_kpa is not None else []
    lines += [f"shuts_over = {v.shuts_over_kpa!r}"]
    lines += ["", "[line]", f"out = {line.out_kpa!r}", f"in = {line.in_kpa!r}", ""]
    return "\n".join(lines)


def fitted_of(text: str) -> Fitted:
    """An accumulator from its file.

    Raises:
        InputError: it cannot be read; the sentence names the entry.
    """
    try:
        table = tomllib.loads(text[:_MOST_TEXT])
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise InputError(f"The accumulator's file is not TOML ({plain(str(error), 80)}).") from None
    if table.get("schema") != SCHEMA:
        raise InputError(f'The accumulator\'s file has to begin with schema = "{SCHEMA}".')
    bottle, switch, line = (table.get(k, {}) for k in ("bottle", "valve", "line"))
    if not all(isinstance(t, dict) for t in (bottle, switch, line)):
        raise InputError("The accumulator's file has no table where one belongs: [bottle], [valve], [line].")
    usual = Fitted()
    values = {k: _number(bottle, k) for k in _BOTTLE}
    made_bottle = replace(
        usual.bottle,
        total_l=_needed(values, "total"),
        precharge_kpa=_needed(values, "precharge"),
        set_c=values["set_at"] if values["set_at"] is not None else usual.bottle.set_c,
        gas_c=values["gas"] if values["gas"] is not None else usual.bottle.gas_c,
        friction_kpa=values["friction"] or 0.0,
        settle_s=values["settle"],
    )
    over, out, back = _number(switch, "shuts_over"), _number(line, "out"), _number(line, "in")
    out = out if out is not None else usual.line.out_kpa
    name = table.get("name", "")
    return checked(
        Fitted(
            bottle=made_bottle,
            valve=Valve(_number(switch, "trigger"), over if over is not None else usual.valve.shuts_over_kpa),
            line=Line(out, back if back is not None else out),
            pump_cm3_per_rev=_number(table, "pump"),
            floor_kpa=_number(table, "floor"),
            name=plain(name, 80) if isinstance(name, str) else "",
        )
    )


def _needed(values: dict[str, float | None], key: str) -> float:
    value = values[key]
    if value is None:
        raise InputError(f"The accumulator's file lacks bottle.{key}.")
    return value


def _number(table: dict[str, Any], key: str) -> float | None:
    value = table.get(key)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise InputError(f"The accumulator's file: {key} has to be a number.")
    return float(value)
