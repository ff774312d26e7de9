"""What a car's records say to what is asked of normal: the engine's card, the oils, the owner's lines."""

from __future__ import annotations

from dataclasses import replace

from basso.car.floor_choices import choice_in_force, lines_of
from basso.car.history import CarHistory
from basso.car.oils import ceilings, data_sheets
from basso.findings.normal.question import Question
from basso.garage.records import Session


def asked_of(history: CarHistory, session: Session, question: Question) -> Question:
    """The question, with what it leaves open filled in from the car's records."""
    engine = history.card_of(session)
    full = replace(
        question,
        data_sheets={**data_sheets(history), **question.data_sheets},
        ceilings={**ceilings(history), **question.ceilings},
        lines=question.lines or lines_of(choice_in_force(history)),
    )
    if engine is None:
        return full
    window = (engine.window_low_kpa, engine.window_high_kpa)
    return replace(
        full,
        listed=question.listed or engine.grades,
        pump_cm3=question.pump_cm3 or engine.pump_cm3,
        window_kpa=window if question.window_kpa == (None, None) else question.window_kpa,
        target_c=question.target_c or engine.oil_target_c,
        oil_l=question.oil_l or engine.full_l,
        clearance=question.clearance or engine.clearance,
        window_at=(engine.window_rpm, engine.window_c),
        maker_port=question.maker_port or engine.maker_port,
    )
