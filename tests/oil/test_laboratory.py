"""What a sample says, by rates worked by hand."""

from __future__ import annotations

import pytest

from basso.oil.laboratory import Sampled, findings, trends


def sample(day: str, hours: float | None, **values: float) -> Sampled:
    return Sampled(day, values, hours)


def test_metals_go_by_the_hour_and_not_by_the_bottle() -> None:
    steady = [sample("2026-05-01", 10.0, Pb=10.0), sample("2026-06-01", 20.0, Pb=21.0)]
    assert findings(steady) == []
    rising = [*steady, sample("2026-07-01", 5.0, Pb=15.0)]
    (found,) = findings(rising)
    assert found.level == "warn" and found.measure == "Pb"
    assert "3.0 mg/kg an hour, up from 1.0 (2 earlier samples)" in found.sentence
    assert "Cut the filter open" in found.sentence
    (lead,) = trends(rising)
    assert [p[2] for p in lead.points] == pytest.approx([1.0, 1.05, 3.0])


def test_without_hours_or_an_earlier_sample_nothing_is_compared() -> None:
    assert findings([sample("2026-05-01", 10.0, Fe=500.0)]) == []
    assert findings([sample("2026-05-01", 10.0, Fe=10.0), sample("2026-06-01", None, Fe=500.0)]) == []
    assert findings([]) == []


@pytest.mark.parametrize(
    ("values", "measure", "words"),
    [
        ({"v100": 11.0}, "v100", "21 % thinner than new (11.0 against 14.0"),
        ({"v100": 17.5}, "v100", "25 % thicker"),
        ({"fuel": 3.1}, "fuel", "3.1 % fuel"),
        ({"water": 0.3}, "water", "0.30 % water"),
        ({"glycol": 0.01}, "glycol", "Do not run it"),
        ({"bn": 3.0}, "bn", "3.0 of 8.0"),
    ],
)
def test_the_oil_itself(values: dict[str, float], measure: str, words: str) -> None:
    (found,) = findings([Sampled("2026-05-01", values, None)], new_v100=14.0, new_bn=8.0)
    assert found.level == "warn" and found.measure == measure and words in found.sentence


def test_an_oil_in_good_order_says_nothing() -> None:
    assert findings([sample("2026-05-01", 10.0, v100=13.2, fuel=0.5, water=0.05, bn=6.0)], 14.0, 8.0) == []
