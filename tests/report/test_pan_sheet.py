"""The fabrication sheet, read back as a shop's programs read it: to scale, in its place, cautions beside it."""

from __future__ import annotations

import io
from dataclasses import replace
from xml.etree import ElementTree

import ezdxf.filemanagement
import pytest

from basso.report.pan_sheet import CAUTIONS, as_dxf, as_html, as_svg, pan_sheet
from basso.sump.measured import Hole, Plate
from pans import BOX, TWO

PLATED = replace(
    TWO,
    plates=(Plate("front", 0.07, 1.0, holes=(Hole(0.05, 0.02, 0.01),)),),
    fill_l=3.0,
    sweep_m=0.1,
    name="Two & <one>",
)


def test_the_drawing_is_to_scale_in_mm_with_a_layer_for_each_kind() -> None:
    drawing = ezdxf.filemanagement.read(io.StringIO(as_dxf(pan_sheet(PLATED)).decode()))
    assert drawing.units == 4, "mm"
    outlines = [e for e in drawing.modelspace().query("LWPOLYLINE[layer=='PAN']") if e.closed]
    boxes = sorted(
        (min(x for x, *_ in e.get_points()), max(x for x, *_ in e.get_points()), max(p[1] for p in e.get_points()))
        for e in outlines
    )
    # From above the car's left is on the left and the nose is up: the front bay reaches 130 mm up.
    assert [b[:2] for b in boxes] == [pytest.approx((-100.0, 100.0))] * 2
    assert sorted(b[2] for b in boxes) == pytest.approx([0.0, 130.0])
    holes = drawing.modelspace().query("CIRCLE[layer=='PLATE']")
    assert [(c.dxf.center.x, c.dxf.center.y, c.dxf.radius) for c in holes] == [pytest.approx((-20.0, 50.0, 10.0))]
    (mouth,) = drawing.modelspace().query("CIRCLE[layer=='PICKUP']")
    assert (mouth.dxf.center.x, mouth.dxf.center.y) == pytest.approx((0.0, 60.0))
    words = [t.dxf.text for t in drawing.modelspace().query("TEXT")]
    assert all(f"Caution: {c}" in words for c in CAUTIONS)


def test_the_table_says_what_is_measured_where() -> None:
    table = pan_sheet(PLATED).table
    assert "front: 130.0 × 200.0 mm, floor 0.0 mm and rail 160.0 mm over the lowest point" in table
    assert any(
        r.startswith("Plate in front: underside 70.0 mm over the lowest point, 90.0 mm below the rail; hole 20.0 mm")
        for r in table
    )
    assert any("door, opens only to front, 60.0 mm wide, from 0.0 to 30.0 mm" in r for r in table)
    assert any(r.startswith("Pickup: mouth 30.0 mm, its middle at 60.0 forward, 0.0 left") for r in table)
    assert any("pan's own axes" in r and "−30.0 forward" in r for r in pan_sheet(BOX).table)


def test_svg_and_paper_hold_strange_names() -> None:
    tree = ElementTree.fromstring(as_svg(pan_sheet(PLATED)))
    assert tree.attrib["width"].endswith("mm")
    texts = [e.text for e in tree.iter("{http://www.w3.org/2000/svg}text")]
    assert "Two & <one>" in texts and "from behind" in texts
    assert "<one>" not in as_html(pan_sheet(PLATED)) and "As built, measured by" in as_html(pan_sheet(PLATED))
