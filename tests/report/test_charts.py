"""The shapes of a report's pictures, checked against numbers worked out by hand."""

from __future__ import annotations

import xml.etree.ElementTree as ET

import pytest

from basso.report.charts import _clock, _ticks, ladder_chart
from basso.report.drawing import BELOW, FAIR, Area, Drawing, Line, Words, box, to_svg
from basso.report.session_report import _clock as clock_of_dips
from basso.units import UNITS, DisplayUnits


@pytest.mark.parametrize(
    ("low", "high", "most", "values"),
    [
        (0.0, 10.0, 5, [0, 2, 4, 6, 8, 10]),
        (-55.0, 130.0, 4, [-50, 0, 50, 100]),
        (0.93, 1.02, 3, [0.95, 1.0]),
        (5.0, 5.0, 4, [5.0]),
    ],
)
def test_round_values_between_two_ends(low: float, high: float, most: int, values: list[float]) -> None:
    assert _ticks(low, high, most) == pytest.approx(values)


@pytest.mark.parametrize(
    ("seconds", "words"), [(779.96, "13:00.0"), (59.94, "0:59.9"), (59.95, "1:00.0"), (0.0, "0:00.0")]
)
def test_a_clock_never_reads_sixty_seconds(seconds: float, words: str) -> None:
    assert clock_of_dips(seconds) == words
    assert ":60" not in _clock(seconds)


def test_shapes_as_svg() -> None:
    shapes = (
        Line(((0, 1), (2, 3)), "#111111", 2.0, (4.0, 3.0)),
        Area(box(1, 1, 2, 2), "#222222", 0.5, "#333333"),
        Words(5, 6, "a < b & c", bold=True, anchor="end"),
    )
    svg = ET.fromstring(to_svg(Drawing(100, 50, shapes, 'says "it"')))
    line, area, words = list(svg)
    assert svg.attrib["viewBox"] == "0 0 100 50" and svg.attrib["aria-label"] == 'says "it"'
    assert line.attrib["points"] == "0.0,1.0 2.0,3.0" and line.attrib["stroke-dasharray"] == "4 3"
    assert area.attrib["fill-opacity"] == "0.5" and area.attrib["stroke"] == "#333333"
    assert words.text == "a < b & c" and words.attrib["text-anchor"] == "end" and words.attrib["font-weight"] == "600"


def test_a_pass_below_the_floor_lies_left_of_it_and_is_told_by_colour_too() -> None:
    rows = [("turn 1", [("1", 40.0), ("2", -10.0)]), ("turn 2", [("1", float("nan"))])]
    chart = ladder_chart(rows, DisplayUnits(pressure=UNITS["psi"]))
    assert chart is not None
    marks = [s for s in chart.shapes if isinstance(s, Area)]
    floor = next(s for s in chart.shapes if isinstance(s, Words) and s.text == "floor")
    assert [m.fill for m in marks] == [FAIR, BELOW]
    over, under = (sum(x for x, _ in m.points) / 4 for m in marks)
    assert under < floor.x < over
    assert any(isinstance(s, Words) and "psi" in s.text for s in chart.shapes)
    assert ladder_chart([("turn 1", [("1", float("nan"))])], DisplayUnits()) is None
