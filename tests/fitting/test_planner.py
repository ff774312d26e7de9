"""A planned chain is sound in every joint and the shortest there is; what cannot be is said with what is missing."""

from __future__ import annotations

import json
from dataclasses import replace
from itertools import product
from pathlib import Path

import pytest

from basso.cli.main import main
from basso.errors import InputError
from basso.fitting.planner import Part, joints, line_delay_s, line_viscosity_pas, plan_fit, shipped_parts
from basso.fitting.threads import End, identify, parse_end, threads
from basso.memory.parts import Parts, made_part

PAIRS = [
    (f"female {port}", f"male {sensor}")
    for port, sensor in product(
        ("1/8 NPT", "1/4 NPT", "1/8 BSPT", "1/8 BSPP", "M10x1", "M12x1.5", "M14x1.5", "M16x1.5"),
        ("1/8 NPT", "M10x1", "1/8 BSPP"),
    )
]


def shortest_by_trying_all(port: End, sensor: End, most: int) -> int | None:
    """The fewest two-ended parts between two ends, by trying every chain level by level; no search but this."""
    open_ends = {port}
    for used in range(most + 1):
        if any(e.gender != sensor.gender and e.thread == sensor.thread for e in open_ends):
            return used
        onward = set()
        for part in shipped_parts():
            if len(part.ends) == 2 and not part.line:
                for a, b in (part.ends, part.ends[::-1]):
                    if any(e.gender != a.gender and e.thread == a.thread for e in open_ends):
                        onward.add(b)
        open_ends |= onward
    return None


@pytest.mark.parametrize(("port", "sensor"), PAIRS)
def test_every_chain_on_the_block_is_sound_and_shortest(port: str, sensor: str) -> None:
    a, b = parse_end(port), parse_end(sensor)
    plan = plan_fit(a, b, on_line=False)
    best = shortest_by_trying_all(a, b, 6)
    assert plan.possible == (best is not None)
    if plan.possible:
        assert len(plan.parts) == best
        assert all(x.thread == y.thread and {x.gender, y.gender} == {"male", "female"} for x, y in joints(plan))


@pytest.mark.parametrize(("port", "sensor"), PAIRS)
@pytest.mark.parametrize("switch", [None, "male 1/8 NPT"])
def test_on_a_line_and_with_the_switch_kept_every_joint_is_sound_too(
    port: str, sensor: str, switch: str | None
) -> None:
    plan = plan_fit(parse_end(port), parse_end(sensor), parse_end(switch) if switch else None)
    if not plan.possible:
        assert "would" in plan.missing
        return
    assert all(x.thread == y.thread and {x.gender, y.gender} == {"male", "female"} for x, y in joints(plan))
    assert sum(p.line for p in plan.parts) == 1
    tees = [i for i, c in enumerate(plan.chain) if len(c.part.ends) == 3]
    line = next(i for i, c in enumerate(plan.chain) if c.part.line)
    assert len(tees) == (switch is not None) and all(i < line for i in tees)  # the switch never waits for the line
    assert any("delays by about" in c for c in plan.cautions)


def test_a_sensor_that_fits_the_port_needs_nothing() -> None:
    plan = plan_fit(parse_end("female M10x1"), parse_end("male M10x1"), on_line=False)
    assert plan.possible and plan.parts == () and "vibration kills it" in plan.cautions[0]


def test_unlike_tapers_never_meet() -> None:
    plan = plan_fit(parse_end("female 1/8 BSPT"), parse_end("male 1/8 NPT"), on_line=False)
    assert plan.possible and len(plan.parts) == 1 and str(plan.parts[0].ends[0]) == "male 1/8 BSPT"
    without = [p for p in shipped_parts() if not any(e.thread == "1/8 BSPT" for e in p.ends)]
    refused = plan_fit(parse_end("female 1/8 BSPT"), parse_end("male 1/8 NPT"), on_line=False, parts=without)
    assert not refused.possible
    assert refused.missing.endswith("an adapter male 1/8 BSPT to female 1/8 NPT would.")


def test_what_is_missing_is_named_whichever_it_is() -> None:
    stiff = [p for p in shipped_parts() if not p.line]
    no_line = plan_fit(parse_end("female 1/8 NPT"), parse_end("male M10x1"), parts=stiff)
    assert "No flexible line fits" in no_line.missing
    no_tee = plan_fit(
        parse_end("female 1/8 NPT"),
        parse_end("male M10x1"),
        parse_end("male M10x1"),
        parts=[p for p in shipped_parts() if len(p.ends) == 2],
    )
    assert "No tee takes the male M10x1 warning switch" in no_tee.missing


def test_fewer_parts_go_before_less_length_and_length_decides_between_equals() -> None:
    a, b, c = parse_end("male 1/8 NPT"), parse_end("female M10x1"), parse_end("male M10x1")
    short, long = Part("short", (a, b), 10.0), Part("long", (a, b), 50.0)
    plan = plan_fit(parse_end("female 1/8 NPT"), c, on_line=False, parts=[long, short])
    assert plan.parts == (short,)


def test_a_measured_thread_is_identified_and_its_double_warned_of() -> None:
    assert [t.name for t in identify(10.0, 1.0, taper=False).candidates] == ["M10x1"]
    both = identify(9.95, 0.92, taper=True)
    assert {t.name for t in both.candidates} == {"1/8 NPT", "1/8 BSPT"} and "do not seal" in both.caution
    assert identify(30.0, 3.0).candidates == ()
    for thread in threads().values():  # each is found by its own figures
        assert thread.name in [t.name for t in identify(thread.diameter_mm, thread.pitch_mm, thread.taper).candidates]


def test_the_lines_delay_follows_poiseuille() -> None:
    # 1 m of 3 mm bore, 0.1 Pa·s: R = 128·0.1·1/(π·8.1e−11) = 5.03e10 Pa·s/m³, times 3e−13 m³/Pa.
    assert line_delay_s(1.0, 3.0, 0.1) == pytest.approx(0.0151, rel=0.01)
    assert line_delay_s(1.0, 1.5, 0.1) == pytest.approx(16 * line_delay_s(1.0, 3.0, 0.1))
    assert line_delay_s(1.0, 3.0, 0.1, air_ml=1.0, pressure_kpa=298.7) == pytest.approx(
        5.03e10 * (3e-13 + 1e-6 / 4e5), rel=0.01
    )


def test_cold_oil_in_the_line_is_as_thick_as_it_is() -> None:
    """10W-40 by its data sheet (95 and 14.5 mm²/s) at 10 °C is about 500 mm²/s: four times what 0.1 Pa·s stood for."""
    assert line_viscosity_pas(10.0) == pytest.approx(0.4, rel=0.25)
    assert line_viscosity_pas(10.0) > 8.0 * line_viscosity_pas(60.0)
    plan = plan_fit(parse_end("female 1/8 NPT"), parse_end("male 1/8 NPT"), on_line=True)
    words = next(c for c in plan.cautions if "The line delays" in c)
    assert "at 10 °C" in words and "at 60 °C" in words


def test_parallel_and_tapered_threads_of_one_pitch_are_told_by_the_taper() -> None:
    both = identify(9.73, 0.907)
    assert {"1/8 BSPP", "1/8 BSPT"} <= {t.name for t in both.candidates}
    assert "by its taper" in both.caution
    tapered = identify(9.95, 0.92, taper=True)
    assert "by its taper" not in tapered.caution and "pitch gauge" in tapered.caution


def test_the_command(capsys: pytest.CaptureFixture[str]) -> None:
    assert (
        main(["fit", "--port", "female 1/8 NPT", "--sensor", "male M10x1", "--switch", "male 1/8 NPT", "--json"]) == 0
    )
    document = json.loads(capsys.readouterr().out)
    assert document["possible"] and any(p.startswith("tee") for p in document["parts"]) and document["cautions"]
    assert main(["fit", "--measured", "9.73", "0.907", "--taper", "yes"]) == 0
    assert capsys.readouterr().out.startswith("1/8 BSPT")
    assert main(["fit", "--port", "female 1/8 NTP", "--sensor", "male M10x1"]) == 2
    assert "write male or female and the thread" in capsys.readouterr().err
    assert main(["fit"]) == 2
    with pytest.raises(InputError):
        parse_end("neuter M10x1")


def test_with_little_room_the_chain_that_fits_is_found_even_if_it_has_more_parts() -> None:
    a, b, c = End("male", "1/8 NPT"), End("female", "M10x1"), End("female", "M12x1.5")
    long = Part("long adapter", (a, b), 80.0)
    short = [Part("short adapter", (a, c), 20.0), Part("short adapter", (c.mate, b), 20.0)]
    port, sensor = parse_end("female 1/8 NPT"), parse_end("male M10x1")
    parts = [long, *short]
    assert plan_fit(port, sensor, on_line=False, parts=parts).parts == (long,)
    assert plan_fit(port, sensor, on_line=False, parts=parts, room_mm=50.0).parts == tuple(short)
    refused = plan_fit(port, sensor, on_line=False, parts=parts, room_mm=30.0)
    assert not refused.possible and "room for 30 mm" in refused.missing and "sticks out 80 mm" in refused.missing


def test_cost_and_time_are_told_as_far_as_they_are_known() -> None:
    port, sensor = parse_end("female 1/8 NPT"), parse_end("male M10x1")
    plan = plan_fit(port, sensor)
    assert plan.purchase == ""
    priced = [replace(p, cost=10.0, lead_days=3.0) for p in shipped_parts()]
    assert plan_fit(port, sensor, parts=priced).purchase == f"{10 * len(plan.parts):.2f}, there in 3 days"
    some = [replace(p, cost=None, lead_days=None) if p.line else p for p in priced]
    assert (
        "for" in plan_fit(port, sensor, parts=some).purchase
        and "at least" in plan_fit(port, sensor, parts=some).purchase
    )


class TestOwnCatalogue:
    def test_without_one_the_parts_that_ship_are_used(self, tmp_path: Path) -> None:
        assert Parts(tmp_path / "parts.json").in_use() == shipped_parts()

    def test_a_part_that_is_added_can_be_planned_with_and_comes_back_as_it_was(self, tmp_path: Path) -> None:
        file = tmp_path / "parts.json"
        port, sensor = parse_end("female M16x1.5"), parse_end("male 1/4 BSPP")
        assert not plan_fit(port, sensor, on_line=False, parts=Parts(file).in_use()).possible
        own = made_part("adapter", ["male M16x1.5", "female 1/4 BSPP"], 22.0, cost=7.5, lead_days=2.0)
        Parts(file).keep([*shipped_parts(), own])
        assert Parts(file).in_use() == (*shipped_parts(), own)
        assert plan_fit(port, sensor, on_line=False, parts=Parts(file).in_use()).parts == (own,)
        Parts(file).keep(shipped_parts())
        assert not file.exists()

    @pytest.mark.parametrize(
        "text",
        [
            "{ cut",
            "[]",
            '{"version": 0, "parts": []}',
            '{"version": 1, "parts": [{}]}',
            '{"version": 1, "parts": [{"name": "x", "ends": ["male 7/8"], "length_mm": 3}]}',
        ],
    )
    def test_a_damaged_one_is_said_in_a_sentence_and_set_aside_by_the_next_edit(
        self, tmp_path: Path, text: str
    ) -> None:
        file = tmp_path / "parts.json"
        file.write_text(text, encoding="utf-8")
        with pytest.raises(InputError, match=r"parts\.json"):
            Parts(file).in_use()
        Parts(file).keep(shipped_parts()[:3])
        assert Parts(file).in_use() == shipped_parts()[:3]
        assert (tmp_path / "parts.damaged.json").read_text(encoding="utf-8") == text

    def test_one_of_a_newer_basso_is_left_as_it_is(self, tmp_path: Path) -> None:
        file, text = tmp_path / "parts.json", '{"version": 2, "parts": []}'
        file.write_text(text, encoding="utf-8")
        with pytest.raises(InputError, match="newer Basso"):
            Parts(file).in_use()
        with pytest.raises(InputError, match="newer Basso"):
            Parts(file).keep(shipped_parts()[:3])
        assert file.read_text(encoding="utf-8") == text

    @pytest.mark.parametrize(
        ("name", "ends", "length", "said"),
        [
            ("", ["male M10x1", "female M10x1"], 10.0, "needs a name"),
            ("x", ["male M10x1"], 10.0, "1 ends"),
            ("x", ["male M10x1", "male no"], 10.0, "known are"),
            ("x", ["male M10x1", "female M10x1"], -1.0, "cannot be"),
        ],
    )
    def test_a_part_that_cannot_be_is_refused(self, name: str, ends: list[str], length: float, said: str) -> None:
        with pytest.raises(InputError, match=said):
            made_part(name, ends, length)


def test_the_command_line_tells_what_the_port_really_measures(capsys: pytest.CaptureFixture[str]) -> None:
    arguments = ["fit", "--port", "female 1/8 NPT", "--sensor", "male M10x1"]
    assert main([*arguments, "--place", "pump outlet", "--json"]) == 0
    assert "The bearings get less" in json.loads(capsys.readouterr().out)["place_tells"]
    assert main([*arguments, "--place", "somewhere"]) == 2
    assert "use one of pan, pump outlet" in capsys.readouterr().err
    assert main([*arguments, "--room", "10", "--on-block", "--switch", "male 1/8 NPT"]) == 0
    assert "room for 10 mm" in capsys.readouterr().out
