"""A warning device as it is kept with a build: its setting, what was drawn by hand, and the line itself (JSON)."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from basso.alarm.rules import KINDS, AlarmRule
from basso.alarm.settings import Setting
from basso.errors import InputError

SCHEMA = "basso.alarm_card/1"
_MOST_TEXT, _MOST_POINTS = 20_000, 200


@dataclass(frozen=True, slots=True)
class AlarmCard:
    """What was kept.

    Attributes:
        moved: {rpm: kPa} of the points that were drawn elsewhere than the setting has them.
        rule: the device itself, which holds whatever normal has become since.
    """

    setting: Setting
    moved: Mapping[float, float]
    rule: AlarmRule


def card_text(setting: Setting, moved: Mapping[float, float], rule: AlarmRule) -> str:
    """A device as the text that is kept."""
    made: dict[str, Any] = {
        "schema": SCHEMA,
        "kind": setting.kind,
        "amount": setting.amount,
        "gate_rpm": rule.gate_rpm,
        "at_c": setting.at_c,
        "delay_s": rule.delay_s,
        "hysteresis_kpa": rule.hysteresis_kpa,
        "moved": [[rpm, kpa] for rpm, kpa in sorted(moved.items())],
        "points": [list(p) for p in rule.points],
        "caution_points": [list(p) for p in rule.caution_points] if rule.caution_points is not None else None,
    }
    return json.dumps(made)


def card_of(text: str) -> AlarmCard:
    """A device from its text.

    Raises:
        InputError: it is none, or says what no device is set to.
    """
    if len(text) > _MOST_TEXT:
        raise InputError("The kept alarm is no card of an alarm: it is too long.")
    try:
        made = json.loads(text)
        if made["schema"] != SCHEMA or made["kind"] not in KINDS:
            raise ValueError(made["schema"])
        points, caution = _points(made["points"]), made["caution_points"]
        rule = AlarmRule(made["kind"], _number(made["gate_rpm"]), points, _number(made["delay_s"]))
        rule = replace(rule, hysteresis_kpa=_number(made["hysteresis_kpa"]))
        if caution is not None:
            rule = replace(rule, caution_points=_points(caution))
        if (rule.caution_points is not None) != (rule.kind == "two_stage"):
            raise ValueError("stages")
        at_c = made["at_c"]
        setting = Setting(
            kind=rule.kind,
            amount=_number(made["amount"]),
            gate_rpm=rule.gate_rpm,
            at_c=_number(at_c) if at_c is not None else None,
            delay_s=rule.delay_s,
        )
        return AlarmCard(setting, dict(_points(made["moved"])) if made["moved"] else {}, rule)
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise InputError("The kept alarm cannot be read: it was written by another Basso, or by hand.") from error


def _points(rows: list[list[float]]) -> tuple[tuple[float, float], ...]:
    made = tuple((_number(rpm), _number(kpa)) for rpm, kpa in rows)
    if not 0 < len(made) <= _MOST_POINTS or any(b[0] <= a[0] for a, b in pairwise(made)):
        raise ValueError("points")
    return made


def _number(value: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError(value)
    if not 0.0 <= value < 1e5:
        raise ValueError(value)
    return float(value)
