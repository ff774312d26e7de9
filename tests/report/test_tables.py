"""What leaves Basso says the same as the analysis does."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace
from pathlib import Path

import openpyxl
import pytest

from basso import workflow
from basso.errors import InputError
from basso.report.tables import Sheet, as_spreadsheet, dips_sheet
from basso.units import UNITS, DisplayUnits
from support import judged_scenario


def test_the_list_of_dips_as_csv(tmp_path: Path) -> None:
    analysis = judged_scenario("baseline-1", 3, 2).analysis
    assert analysis.dips
    workflow.export_analysis(analysis, tmp_path / "dips.csv", DisplayUnits(pressure=UNITS["psi"]))
    rows = list(csv.DictReader(io.StringIO((tmp_path / "dips.csv").read_text())))
    assert len(rows) == len(analysis.dips)
    for row, d in zip(rows, analysis.dips, strict=True):
        assert float(row["Lowest, psi"]) * 6.894757 == pytest.approx(d.dip.min_pressure_kpa, abs=0.4)
        assert float(row["Start, s"]) == pytest.approx(d.dip.start_s, abs=1e-3)
        assert row["Cause"] == d.cause.name.replace("_", " ")


def test_a_spreadsheet_with_everything(tmp_path: Path) -> None:
    analysis = judged_scenario("shakedown", 3, 2).analysis
    workflow.export_analysis(analysis, tmp_path / "all.xlsx")
    book = openpyxl.load_workbook(tmp_path / "all.xlsx")
    assert book.sheetnames == ["Dips", "Laps", "Exposure", "Checks", "Corrections", "Log", "Notes"]
    assert book["Dips"].max_row == len(analysis.dips) + 1
    kinds = [c.value for c in book["Corrections"]["B"][1:]]
    assert kinds == [c.kind for c in analysis.corrections]
    lowest = [c.value for c in book["Dips"]["E"]]
    assert lowest[0] == "Lowest, kPa" and isinstance(lowest[1], int | float)


def test_json_is_the_contracts_document(tmp_path: Path) -> None:
    analysis = judged_scenario("baseline-1", 3, 2).analysis
    workflow.export_analysis(analysis, tmp_path / "a.json")
    document = json.loads((tmp_path / "a.json").read_text())
    assert document["schema"] == "basso.analysis/1"
    assert len(document["events"]) == len(analysis.dips)


def test_another_kind_is_refused(tmp_path: Path) -> None:
    with pytest.raises(InputError, match="name the file so"):
        workflow.export_analysis(judged_scenario("baseline-1", 3, 2).analysis, tmp_path / "a.doc")
    assert not list(tmp_path.iterdir())


def test_text_never_becomes_a_formula() -> None:
    data = as_spreadsheet([Sheet("S", ("A",), (("=1+1",), ("bad\x07",), (None,), (1.5,)))])
    page = openpyxl.load_workbook(io.BytesIO(data))["S"]
    assert [c.value for c in page["A"]] == ["A", "'=1+1", "bad", None, 1.5]


def test_no_dips_is_a_table_with_headings_only() -> None:
    analysis = judged_scenario("baseline-1", 3, 2).analysis
    assert dips_sheet(replace(analysis, dips=()), DisplayUnits()).rows == ()
    sheet = dips_sheet(analysis, DisplayUnits())
    assert {len(r) for r in sheet.rows} == {len(sheet.headings)}
