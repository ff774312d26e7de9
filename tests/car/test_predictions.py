"""What was predicted beside what was measured: kept with the job, and counted honestly."""

from __future__ import annotations

from dataclasses import replace

import pytest

from basso.car.history import CarHistory
from basso.car.predictions import (
    KeptPrediction,
    LowestChange,
    Outcome,
    of_trial,
    predictions_of,
    with_measured,
    with_prediction,
)
from basso.garage.records import Car, Job
from basso.words.predictions import kept_words, record_words

CAR = Car(name="Car 31")
JOB = Job(car=CAR.id, sheet="verification-drive", opened="2026-05-12", entries={"step": {"value": 1}})
PREDICTED = LowestChange(40.0, 20.0, 60.0)


def measured(kpa: float, off: float = 5.0) -> Outcome:
    return Outcome(LowestChange(kpa, kpa - off, kpa + off), "helps", ("a1", "a2"), ("b1",))


def kept(*jobs: Job) -> tuple[KeptPrediction, ...]:
    return predictions_of(CarHistory(CAR, jobs=jobs))


def test_a_prediction_is_kept_with_its_job_and_nothing_of_the_job_is_lost() -> None:
    job = with_prediction(JOB, "+0.4 L", PREDICTED)
    (found,) = kept(JOB, job)
    assert (found.what, found.predicted, found.measured, found.held) == ("+0.4 L", PREDICTED, None, None)
    assert job.entries["step"] == {"value": 1} and Job.from_plain(job.as_plain()) == job
    assert kept_words(found) == "Predicted of +0.4 L: +40 kPa (+20 to +60); not measured yet."
    assert record_words([found]) == ""


@pytest.mark.parametrize(
    ("kpa", "said"),
    [
        (50.0, "the prediction held"),
        (64.0, "the prediction held"),
        (66.0, "more than predicted"),
        (16.0, "the prediction held"),
        (14.0, "less than predicted"),
    ],
)
def test_it_held_where_what_was_measured_may_lie_in_its_band(kpa: float, said: str) -> None:
    (found,) = kept(with_measured(with_prediction(JOB, "+0.4 L", PREDICTED), measured(kpa)))
    assert kept_words(found).endswith(f": {said}.") and found.held is (said == "the prediction held")


def test_what_was_measured_too_loosely_proves_nothing() -> None:
    (found,) = kept(with_measured(with_prediction(JOB, "+0.4 L", PREDICTED), measured(40.0, off=21.0)))
    assert found.held is None and kept_words(found).endswith("measured too loosely to tell; drive more laps.")
    assert record_words([found]) == ""
    (found,) = kept(with_measured(with_prediction(JOB, "+0.4 L", PREDICTED), measured(100.0, off=30.0)))
    assert found.held is False


def test_the_record_counts_what_held_of_what_was_measured() -> None:
    jobs = [
        with_measured(with_prediction(JOB, "one", PREDICTED), measured(40.0)),
        with_measured(with_prediction(JOB, "two", PREDICTED), measured(90.0)),
        with_prediction(JOB, "three", PREDICTED),
    ]
    assert record_words(kept(*jobs)) == "Predictions of this car that held when they were measured: 1 of 2."


def test_it_is_found_again_by_the_logs_of_its_trial() -> None:
    found = kept(with_measured(with_prediction(JOB, "+0.4 L", PREDICTED), measured(40.0)))
    assert of_trial(found, ["a2", "a1"], ["b1"]) == found
    assert of_trial(found, ["a1"], ["b1"]) == of_trial(found, ["b1"], ["a1", "a2"]) == ()


@pytest.mark.parametrize("spoilt", [None, 3, "x", {"kpa": 1}, {"what": "x", "kpa": "no", "low_kpa": 1, "high_kpa": 2}])
def test_what_another_wrote_there_is_passed_over(spoilt: object) -> None:
    assert kept(replace(JOB, entries={"predicted effect": spoilt})) == ()
