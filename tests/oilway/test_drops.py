"""The drop across cooler and filter is measured at one flow and viscosity, so that a clogging one is named and a hot
day is not."""

from __future__ import annotations

import json
from dataclasses import replace
from functools import lru_cache

import pytest

from basso.cli.main import main
from basso.oil.grades import grade
from basso.oilway.drops import find_drops, held_against
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.trust.oil_way import check_circuit
from basso.workflow import demo_folder
from support import recording_of

OIL = grade("10W-40")


@lru_cache
def session(
    seed: int, filter_kpa: float = 40.0, cooler_kpa: float = 25.0, bypass_kpa: float = 1e9, start_c: float = 80.0
) -> Recording:
    setup = Setup(harrowfell(), heat=Heat(start_c=start_c), session=Outing(laps=3))
    logger = Logger(20, filter_kpa=filter_kpa, cooler_kpa=cooler_kpa, bypass_kpa=bypass_kpa)
    return recording_of(run_setup(setup, logger, generator("drops", seed))[1])


def true_drop(at_6000_kpa: float, rpm: float = 5000.0) -> float:
    """By the stand-in's own law, at 15 mm²/s."""
    return at_6000_kpa * (0.7 * rpm / 6000.0 + 0.3 * (rpm / 6000.0) ** 2)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_each_part_is_measured_within_a_kilopascal_and_its_error_is_true(seed: int) -> None:
    cooler, filter_ = find_drops(session(seed), OIL)
    assert (cooler.parts, filter_.parts) == ("cooler", "filter and galleries")
    for found, true in ((cooler, 25.0), (filter_, 40.0)):
        assert found.at(5000.0) == pytest.approx(true_drop(true), abs=1.0)
        assert abs(found.at(5000.0) - true_drop(true)) < 4.0 * found.error_kpa + 0.3
        assert found.zero_kpa == pytest.approx(0.0, abs=1.0)


def test_a_part_that_takes_next_to_nothing_stands_bypassed() -> None:
    (change,) = held_against(find_drops(session(6, filter_kpa=0.001, cooler_kpa=25.0), OIL)[1:], [], 7000.0)
    assert "its bypass stands open" in change.words
    first = held_against(find_drops(session(1), OIL), [], 7000.0)
    assert all("bypass" not in c.words for c in first)


def test_a_filter_that_clogs_is_named_with_its_cost_at_redline() -> None:
    earlier = [find_drops(session(s), OIL) for s in (1, 2, 3)]
    cooler, filter_ = held_against(find_drops(session(4, filter_kpa=64.0), OIL), earlier, 7000.0)
    assert (cooler.state, filter_.state) == ("as before", "grown")
    assert filter_.costs_kpa == pytest.approx(true_drop(64.0, 7000.0) - true_drop(40.0, 7000.0), abs=2.5)
    assert "it clogs" in filter_.words and "of gallery pressure" in filter_.words
    narrow, _ = held_against(find_drops(session(5, cooler_kpa=45.0), OIL), earlier, 7000.0)
    assert narrow.state == "grown" and "narrower than it was" in narrow.words


@pytest.mark.parametrize("start_c", [62.0, 98.0])
def test_colder_or_hotter_oil_is_no_clogging(start_c: float) -> None:
    earlier = [find_drops(session(s), OIL) for s in (1, 2, 3)]
    assert {c.state for c in held_against(find_drops(session(6, start_c=start_c), OIL), earlier, 7000.0)} == {
        "as before"
    }


def test_a_bypass_that_opens_is_seen_and_one_that_stays_shut_is_not() -> None:
    _, opened = find_drops(session(7, filter_kpa=70.0, bypass_kpa=45.0), OIL)
    assert opened.bypass
    assert not any(d.bypass for s in (1, 2, 3) for d in find_drops(session(s), OIL))


def test_the_first_reading_says_so_and_one_place_alone_shows_no_drop() -> None:
    first = held_against(find_drops(session(1), OIL), [], 7000.0)
    assert {c.state for c in first} == {"first"} and all("The first reading" in c.words for c in first)
    one = session(1)
    alone = one.with_channels(
        tuple(c for c in one.channels if c.role not in (Role.PRESSURE_PUMP_OUT, Role.PRESSURE_COOLER_OUT))
    )
    assert find_drops(alone) == []


def test_places_that_disagree_at_rest_or_stand_the_wrong_way_round_are_told() -> None:
    sound = {c.id: c.level for c in check_circuit(session(1))}
    assert sound == {"references": "ok", "order": "ok"}

    def changed(role: Role, add: float, times: float = 1.0) -> Recording:
        whole = session(1)
        return whole.with_channels(
            tuple(replace(c, values=c.values * times + add) if c.role is role else c for c in whole.channels)
        )

    (rest,) = (c for c in check_circuit(changed(Role.PRESSURE_PUMP_OUT, 101.0)) if c.id == "references")
    assert rest.level == "fail" and "pressure after the pump reads 101 kPa more than" in rest.message
    (order,) = (c for c in check_circuit(changed(Role.PRESSURE_PUMP_OUT, 0.0, 0.7)) if c.id == "order")
    assert order.level == "fail" and "which no oil does" in order.message
    assert {c.id: c.level for c in check_circuit(changed(Role.PRESSURE_COOLER_OUT, 4.0))} == sound


def test_the_command_holds_the_last_log_against_those_before(capsys: pytest.CaptureFixture[str]) -> None:
    logs = [str(session(s).path) for s in (1, 2, 3)]
    worse = str(session(4, filter_kpa=64.0).path)
    assert main(["drops", *logs, worse, "--oil", "10W-40", "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert [d["state"] for d in document["drops"]] == ["as before", "grown"]
    assert main(["drops", logs[0], "--oil", "10W-40"]) == 0
    assert "The first reading" in capsys.readouterr().out
    assert main(["drops", str(demo_folder() / "baseline-1.csv")]) == 0
    assert "fewer than two places" in capsys.readouterr().out
