"""A kept alarm comes back as it was; what is no card is refused."""

from __future__ import annotations

import json

import pytest

from basso.alarm.card import card_of, card_text
from basso.alarm.rules import AlarmRule
from basso.alarm.settings import Setting
from basso.errors import InputError

SETTING = Setting("two_stage", 40.0, 3000.0, None, 0.2)
RULE = AlarmRule("two_stage", 3000.0, ((3000.0, 90.0), (3500.0, 99.0)), 0.2, 15.0, ((3000.0, 139.0), (3500.0, 160.5)))
TEXT = card_text(SETTING, {3500.0: 160.5}, RULE)


def test_it_comes_back_as_it_was() -> None:
    card = card_of(TEXT)
    assert (card.setting, card.rule, card.moved) == (SETTING, RULE, {3500.0: 160.5})


@pytest.mark.parametrize(
    "change",
    [
        {"schema": "basso.alarm_card/2"},
        {"kind": "siren"},
        {"kind": "table"},
        {"caution_points": None},
        {"points": []},
        {"points": [[3000, 90], [3000, 91]]},
        {"points": [[3000, 90, 1]]},
        {"points": [[3000, "90"]]},
        {"points": [[3000, -1]]},
        {"points": [[n, 1] for n in range(201)]},
        {"delay_s": float("nan")},
        {"delay_s": True},
        {"gate_rpm": None},
        {"amount": 1e6},
        {"moved": {"a": 1}},
    ],
)
def test_what_no_device_is_set_to_is_refused(change: dict[str, object]) -> None:
    with pytest.raises(InputError, match="cannot be read"):
        card_of(json.dumps({**json.loads(TEXT), **change}))


@pytest.mark.parametrize("text", ["", "[]", "null", "{}", "[" * 5000, "x" * 20_001])
def test_what_is_no_card_is_refused(text: str) -> None:
    with pytest.raises(InputError, match="The kept alarm"):
        card_of(text)
