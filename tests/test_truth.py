"""Found dips and causes against what the simulator knows really happened, on circuits and seeds nobody tuned on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.pressure.floors import Fixed
from basso.pressure.options import JudgeOptions
from basso.recording.roles import Role
from basso.standin.car import Car, Outing
from basso.standin.circuit import harrowfell, random_circuit
from basso.standin.engine import Heat, TrueEngine
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, TrueDip, true_dips
from basso.sump.shape import BoxPan
from support import judged_scenario, recording_of, score

SESSIONS = [
    (name, seed)
    for name in (
        "truth-left",
        "truth-right",
        "truth-braking",
        "truth-launch",
        "truth-high-rpm",
        "truth-hot-oil",
        "truth-worn",
    )
    for seed in (101, 102)
]


def test_dips_and_causes_over_fourteen_sessions() -> None:
    """The whole yardstick: F1 by interval overlap at least 0.95, causes right in at least nine of ten."""
    hits = invented = missed = right = 0
    for name, seed in SESSIONS:
        judged = judged_scenario(name, seed)
        s = score(judged.truth, judged.analysis.dips)
        hits, invented, missed = hits + len(s.pairs), invented + s.invented, missed + s.missed
        right += sum(t.cause == d.cause.name for t, d in s.pairs)
    assert 2 * hits / (2 * hits + invented + missed) >= 0.95
    assert right / hits >= 0.90


@pytest.mark.parametrize("name", ["truth-left", "truth-right", "truth-braking", "truth-launch", "truth-high-rpm"])
def test_each_thrown_or_frothed_session_alone(name: str) -> None:
    judged = judged_scenario(name, 101)
    s = score(judged.truth, judged.analysis.dips)
    assert judged.truth
    assert s.f1 >= 0.9
    assert sum(t.cause == d.cause.name for t, d in s.pairs) >= 0.9 * len(s.pairs)
    onset = [abs(t.start_s - d.dip.start_s) for t, d in s.pairs]
    assert np.median(onset) < 0.08


@pytest.mark.parametrize("seed", [101, 102, 103])
def test_a_healthy_session_has_no_dips(seed: int) -> None:
    """Lifts, gear changes, pit idling: none of them is starvation."""
    judged = judged_scenario("truth-healthy", seed)
    assert judged.truth == []
    assert judged.analysis.dips == ()


def test_dyno_sweeps_without_g_have_no_dips() -> None:
    assert judged_scenario("dyno", 1).analysis.dips == ()


def test_worn_bearings_are_told_from_hot_oil_by_the_earlier_normal() -> None:
    causes = {d.cause.name for d in judged_scenario("truth-worn", 101).analysis.dips}
    assert causes == {"low_everywhere"}


def _starving(logger: Logger, **changes: object):  # type: ignore[no-untyped-def]
    setup = replace(Setup(harrowfell(), pan=Pan(fill_l=4.0), session=Outing(laps=3)), **changes)  # type: ignore[arg-type]
    simulated, csv = run_setup(setup, logger, generator("truth test", 5))
    return simulated, recording_of(csv)


FAULTS = {
    "absolute sensor": Logger(50, absolute=True),
    "offset": Logger(50, zero_kpa=25.0),
    "spikes and drop-outs": Logger(50, spikes_per_min=6.0, dropouts_per_min=3.0),
    "spikes and drop-outs, 10 Hz": Logger(10, spikes_per_min=6.0, dropouts_per_min=3.0),
    "late pressure": Logger(50, delay_s=0.3),
    "noise": Logger(50, noise_kpa=7.0),
    "clock, bar, °F, m/s²": Logger(25, "bar", "°F", "m/s²", "mph", clock=True, units_row=True),
}


def _readable(a: Analysis, start_s: float, end_s: float) -> bool:
    """False where the connector was open for so long that nobody can know what the pressure did."""
    inside = (a.time_s > start_s - 0.2) & (a.time_s < end_s + 0.2)
    return bool(np.mean(np.isnan(a.pressure_kpa[inside])) < 0.3)


@pytest.mark.parametrize("fault", FAULTS)
def test_a_logger_fault_does_not_change_the_verdict(fault: str) -> None:
    """The dips that really happened where anything could be read, and no cause that contradicts the clean log's."""
    simulated, recording = _starving(FAULTS[fault])
    _, clean = _starving(Logger(50))
    a, reference = analyse(recording), analyse(clean).dips
    found = [d for d in a.dips if _readable(a, d.dip.start_s, d.dip.end_s)]
    s = score([t for t in true_dips(simulated) if _readable(a, t.start_s, t.end_s)], found)
    assert len(s.pairs) >= 10
    assert s.f1 >= 0.9  # a score of twenty dips: one borderline dip is 0.03
    sure = [
        TrueDip(d.dip.start_s, d.dip.end_s, d.dip.min_pressure_kpa, d.cause.name)
        for d in reference
        if d.cause.confidence > 0.75
    ]
    pairs = [(t, d) for t, d in score(sure, found).pairs if d.cause.confidence > 0.75]
    assert pairs
    assert all(t.cause == d.cause.name for t, d in pairs)


def test_refusing_the_zero_hides_dips_and_accepting_it_finds_them() -> None:
    """What an absolute sensor left uncorrected does: an atmosphere too high everywhere."""
    _, recording = _starving(Logger(50, absolute=True))
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None
    refused = analyse(recording, JudgeOptions(refused=frozenset({(pressure.name, "offset")})))
    accepted = analyse(recording)
    assert len(refused.dips) < len(accepted.dips)
    assert accepted.dips[0].dip.min_pressure_kpa < refused.dips[0].dip.min_pressure_kpa - 80.0


def test_cold_oil_makes_no_dips() -> None:
    _, recording = _starving(Logger(50), heat=Heat(start_c=25.0, ambient_c=5.0, rise_c=30.0))
    assert analyse(recording).dips == ()


def test_below_the_gate_nothing_is_judged() -> None:
    _, recording = _starving(Logger(50))
    options = JudgeOptions()
    gated = replace(options, rules=replace(options.rules, rpm_gate=9000.0))
    assert analyse(recording, gated).dips == ()


def test_without_temperature_and_g_it_says_what_that_costs() -> None:
    _, recording = _starving(Logger(50))
    bare = recording.with_channels(
        tuple(c for c in recording.channels if c.role in (Role.TIME, Role.RPM, Role.OIL_PRESSURE))
    )
    a = analyse(bare)
    assert {"oil_temp", "g"} <= {c.id for c in a.checks}
    assert a.dips
    assert all(d.cause.name not in ("left_turn", "right_turn", "braking", "acceleration") for d in a.dips)


@pytest.mark.parametrize("missing", [Role.RPM, Role.OIL_PRESSURE])
def test_without_rpm_or_pressure_nothing_is_judged_and_it_says_so(missing: Role) -> None:
    _, recording = _starving(Logger(20))
    a = analyse(recording.with_channels(tuple(c for c in recording.channels if c.role is not missing)))
    assert not a.judgeable
    assert a.dips == ()


def test_g_worked_out_from_path_and_speed_when_it_was_not_logged() -> None:
    simulated, recording = _starving(Logger(50, gps=True))
    without = recording.with_channels(
        tuple(c for c in recording.channels if c.role not in (Role.LATERAL_G, Role.LONGITUDINAL_G))
    )
    a = analyse(without)
    s = score(true_dips(simulated), a.dips)
    assert s.f1 >= 0.9
    assert sum(t.cause == d.cause.name for t, d in s.pairs) >= 0.8 * len(s.pairs)


def test_another_floor_finds_other_dips() -> None:
    _, recording = _starving(Logger(50))
    assert len(analyse(recording, JudgeOptions(floors=(Fixed(20.0),))).dips) < len(analyse(recording).dips)


def test_every_dip_carries_its_evidence() -> None:
    for d in judged_scenario("baseline-1", 3).analysis.dips:
        assert d.cause.reason
        assert 0.0 < d.cause.confidence <= 1.0
        assert d.rule is not None
        assert d.dip.min_margin_kpa < 0


HEALTHY = {
    "a slow gallery": ({"engine": TrueEngine(lag_s=0.3)}, Logger(50)),
    "a late sensor": ({}, Logger(50, delay_s=0.6)),
    "a late sensor, 10 Hz": ({}, Logger(10, delay_s=0.3)),
    "a noisy sensor": ({}, Logger(50, noise_kpa=15.0)),
    "a loose connector, 10 Hz": ({}, Logger(10, spikes_per_min=10.0, dropouts_per_min=5.0)),
    "few samples": ({}, Logger(5)),
    "a cold start": ({"heat": Heat(start_c=25.0, ambient_c=10.0)}, Logger(25)),
    "no relief valve in sight": ({"engine": TrueEngine(relief_kpa=900.0)}, Logger(50)),
    "an early relief valve": ({"engine": TrueEngine(relief_kpa=380.0, relief_slope=2.0)}, Logger(50)),
    "a fast car": ({"car": Car(grip_g=1.9, brake_g=1.8, drive_g=0.9, power_w=400e3)}, Logger(50)),
}


@pytest.mark.parametrize("name", HEALTHY)
def test_healthy_engines_of_every_kind_raise_no_alarm(name: str) -> None:
    """Oil well over the pickup, whatever else is odd about engine, car and logger: not one dip."""
    changes, logger = HEALTHY[name]
    pan = Pan(shape=BoxPan(0.26, 0.20, 0.16, (0.0, 0.0, 0.008)), fill_l=5.6)
    for seed in (1, 2):
        circuit = random_circuit(generator("healthy " + name, seed))
        setup = replace(Setup(circuit, pan=pan, session=Outing(laps=4)), **changes)  # type: ignore[arg-type]
        simulated, csv = run_setup(setup, logger, generator("healthy drive " + name, seed))
        assert true_dips(simulated) == []
        assert analyse(recording_of(csv)).dips == ()
