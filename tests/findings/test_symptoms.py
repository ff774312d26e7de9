"""The symptom interview: the textbook cases come out first, and a lamp that stays on stops everything."""

from __future__ import annotations

import pytest

from basso.findings.symptoms import interview, questions

TEXTBOOK = {
    "thrown": {"when": "left", "level": "full", "reading": "smooth", "new": "tyres"},
    "level": {"when": "both", "level": "low", "reading": "smooth"},
    "pickup": {"when": "both", "level": "full", "new": "pan"},
    "baffle": {"when": "launch", "new": "baffle", "level": "full"},
    "air": {"when": "high_rpm", "level": "over"},
    "hot": {"when": "hot", "reading": "slow", "level": "full", "new": "oil"},
    "worn": {"when": "always", "new": "engine", "reading": "slow"},
    "sensor": {"when": "random", "reading": "jumps", "lamp": "off", "noise": "none"},
}


@pytest.mark.parametrize("cause", TEXTBOOK)
def test_the_textbook_case_comes_first_with_its_reasons(cause: str) -> None:
    found = interview(TEXTBOOK[cause])
    first = found.suspects[0]
    assert first.key == cause and first.standing == "most likely" and first.because and first.test
    assert sum(s.share for s in found.suspects) == pytest.approx(1.0)


@pytest.mark.parametrize("answers", [{"lamp": "seconds"}, {"noise": "tick"}, {"noise": "knock", "when": "random"}])
def test_a_lasting_lamp_or_a_noise_stops_the_car_first(answers: dict[str, str]) -> None:
    assert interview(answers).stop.startswith("Stop:")


def test_a_flicker_alone_does_not_and_nothing_answered_leaves_all_open() -> None:
    assert interview({"lamp": "flicker"}).stop == ""
    found = interview({})
    assert {s.standing for s in found.suspects} == {"open"} and len({round(s.share, 9) for s in found.suspects}) == 1


def test_every_answer_that_carries_weight_is_asked() -> None:
    from basso.findings.symptoms import _table

    known = {(q.key, a) for q in questions() for a in q.answers}
    for cause in _table()[1]:
        assert {(q, a) for q, w in cause.weights.items() for a in w} <= known
        assert all(w > 0 for by in cause.weights.values() for w in by.values())


@pytest.mark.parametrize(
    "answers",
    [
        {"noise": "knock"},
        {"noise": "tick"},
        {"lamp": "seconds"},
        {"noise": "knock", "when": "random", "reading": "jumps"},
    ],
)
def test_after_a_stop_only_checks_with_the_engine_off_follow_level_pickup_pan(answers: dict[str, str]) -> None:
    found = interview(answers)
    assert found.stop
    assert [s.key for s in found.suspects[:3]] == ["level", "pickup", "baffle"]
    for s in found.suspects:
        assert s.test.startswith(("Engine off", "Pan off", "Not now")), s
    assert not any(w in s.test for s in found.suspects for w in ("engine running", "Log ", "repeat"))
