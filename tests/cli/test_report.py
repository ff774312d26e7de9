"""``basso report``: one file that needs nothing else, with what the judging says and no more."""

from __future__ import annotations

import io
import re
import xml.etree.ElementTree as ET
from pathlib import Path

import pypdf
import pytest

from basso.cli.main import main
from basso.workflow import demo_folder, judge, open_recording
from support import write_temporary

DEMO = demo_folder()
LOG, AGAIN, AFTER = (DEMO / f"{name}.csv" for name in ("baseline-1", "baseline-2", "gated"))


def html_of(tmp_path: Path, *words: str) -> str:
    out = tmp_path / "report.html"
    assert main(["report", *words, "--html", str(out)]) == 0
    return out.read_text(encoding="utf-8")


def pdf_of(tmp_path: Path, *words: str) -> pypdf.PdfReader:
    out = tmp_path / "report.pdf"
    assert main(["report", *words, "--pdf", str(out)]) == 0
    return pypdf.PdfReader(io.BytesIO(out.read_bytes()))


def text_of(reader: pypdf.PdfReader) -> str:
    return re.sub(r"\s+", " ", " ".join(page.extract_text() for page in reader.pages))


def needs_nothing_else(page: str) -> None:
    assert "<script" not in page and "http" not in page and "<link" not in page and "@import" not in page
    assert all(url.startswith("data:font/ttf;base64,") for url in re.findall(r"url\(([^)]{0,40})", page))
    assert page.count("@font-face") == 2
    for svg in re.findall(r"<svg .*?</svg>", page, re.DOTALL):
        ET.fromstring(svg)


def test_a_session(tmp_path: Path) -> None:
    page = html_of(tmp_path, str(LOG))
    needs_nothing_else(page)
    a = judge(open_recording(LOG))
    assert page.count("<svg") == 3 and "Margin to the floor, kPa" in page
    assert page.count('<tr><td class="n">') == len(a.dips), "every dip has its row"
    assert f"{len(a.dips)} dips in 7 laps" in page
    for heading in ("Dips", "The worst dip", "Corner by corner", "Normal pressure", "Readings", "Limits of the claim"):
        assert f"<h2>{heading}</h2>" in page
    assert "do not restart until the cause is found" in page and "closed course" in page
    low = min(d.dip.min_pressure_kpa for d in a.dips)
    assert f'<td class="n">{low:.0f}</td>' in page


def test_in_other_units_none_of_the_first_is_left(tmp_path: Path) -> None:
    page = html_of(tmp_path, str(LOG), "--pressure", "psi", "--temperature", "F")
    for channel in open_recording(LOG).channels:
        page = page.replace(channel.name, "")  # as the logger called it
    assert "kPa" not in page and "°C" not in page and "psi" in page and "°F" in page


@pytest.mark.parametrize(("paper", "size"), [("a4", (595, 842)), ("letter", (612, 792))])
def test_on_paper_with_page_numbers_and_its_fonts(paper: str, size: tuple[int, int], tmp_path: Path) -> None:
    reader = pdf_of(tmp_path, str(LOG), "--paper", paper)
    assert all((round(p.mediabox.width), round(p.mediabox.height)) == size for p in reader.pages)
    assert all(f"page {n}" in page.extract_text() for n, page in enumerate(reader.pages, 1)) and len(reader.pages) > 2
    fonts = {
        f.get_object()["/BaseFont"]: "/FontFile2" in f.get_object()["/FontDescriptor"].get_object()
        for page in reader.pages
        for f in page["/Resources"]["/Font"].values()
        if "/FontDescriptor" in f.get_object()
    }
    assert len(fonts) >= 2 and all(fonts.values()), "every font is inside"
    assert not any("/XObject" in page["/Resources"] for page in reader.pages), "charts are vectors"
    text = text_of(reader)
    assert "Margin to the floor, kPa" in text and "The worst dip" in text and "Limits of the claim" in text


def test_a_trial(tmp_path: Path) -> None:
    sides = ["--a", str(LOG), str(AGAIN), "--b", str(AFTER), "--label-a", "full <mark>", "--label-b", "gated"]
    page = html_of(tmp_path, *sides)
    needs_nothing_else(page)
    assert "Helps: lowest pressure up" in page and "full &lt;mark&gt;" in page and "<mark>" not in page
    for heading in ("Place by place", "Like against like", "What would overturn it", "Limits of the claim"):
        assert f"<h2>{heading}</h2>" in page
    reader = pdf_of(tmp_path, *sides)
    assert "Helps: lowest pressure up" in text_of(reader) and "full <mark>" in text_of(reader)


def test_several_sessions_and_one_given_twice(tmp_path: Path) -> None:
    page = html_of(tmp_path, str(LOG), str(AGAIN), str(LOG))
    assert "<h1>2 sessions, " in page and page.count("<h2>The worst dip</h2>") == 2
    assert "is the same drive as baseline-1.csv; it counts once" in page


def test_what_is_not_known_is_said_and_nothing_of_it_shown(tmp_path: Path) -> None:
    rows = "\n".join(f"{0.05 * n:.2f},{3000 + 5 * (n % 500)},{250 + (n % 500) / 10:.1f}" for n in range(4000))
    log = write_temporary(f"Time [s],RPM [rpm],Oil Pressure [kPa]\n{rows}\n".encode(), "bare.csv")
    page = html_of(tmp_path, str(log))
    assert "Not logged, so not known: oil temperature, lateral g, longitudinal g, speed." in page
    assert "temperature not logged" in page and "none recognised" in page and "Corner by corner" not in page
    text_of(pdf_of(tmp_path, str(log)))


def test_a_log_that_cannot_be_judged_says_why(tmp_path: Path) -> None:
    log = write_temporary(b"Time [s],Speed [km/h]\n0,1\n0.1,2\n0.2,3\n", "speed.csv")
    page = html_of(tmp_path, str(log))
    assert "This log cannot be judged yet" in page and "<svg" not in page


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ([], "of which log"),
        ([str(LOG)], "where to"),
        ([str(LOG), "--a", str(LOG), "--html", "x.html"], "not both"),
        (["--a", str(LOG), "--html", "x.html"], "--b"),
        ([str(LOG), "--html", "/nowhere/at/all/x.html"], "/nowhere/at/all"),
        (["nowhere.csv", "--html", "x.html"], "nowhere.csv"),
    ],
)
def test_what_cannot_be_done_is_one_sentence(words: list[str], says: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["report", *words]) == 2
    said = capsys.readouterr().err
    assert says in said and said.count("\n") == 1
