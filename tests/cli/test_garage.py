"""``basso garage`` as scripts use it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from basso.car.demo import make_demo_garage
from basso.cli.main import main
from basso.garage.place import FILE, default_folder
from basso.workflow import demo_folder

pytestmark = pytest.mark.usefixtures("shared_cache")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    make_demo_garage(demo_folder(), tmp_path / "garage")
    return tmp_path / "garage"


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> dict[str, object]:
    assert main(["garage", *arguments, "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert isinstance(document, dict)
    return document


def test_list_and_show(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (car,) = said(capsys, "list", "--folder", str(folder))["cars"]  # type: ignore[misc]
    assert (car["name"], car["builds"], car["sessions"], car["open_jobs"]) == ("Car 31", 5, 13, 2)
    shown = said(capsys, "show", "car 31", "--folder", str(folder))
    assert shown["schema"] == "basso.car/1" and shown["oil_now"]["since"] == "2026-05-10"  # type: ignore[index]
    cards = {e["id"]: e["since"] for e in shown["records"]["engines"]}  # type: ignore[index]
    assert sorted(cards.values()) == ["", "2026-07-06"]
    assert {cards[c] for c in shown["engine_cards"].values()} == {""}  # type: ignore[attr-defined]
    assert main(["garage", "--folder", str(folder), "show", "Car 31"]) == 0
    text = capsys.readouterr().out
    assert "2026-06-04  Build 3, gated baffle" in text and "Oil: 10W-40 since 2026-05-10" in text


def test_a_car_goes_out_and_comes_in_elsewhere(
    folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out, other = tmp_path / "car.basso.zip", tmp_path / "other"
    said(capsys, "export", "Car 31", str(out), "--folder", str(folder))
    taken = said(capsys, "import", str(out), "--folder", str(other))
    assert taken["new"] is True
    a, b = (said(capsys, "show", "Car 31", "--folder", str(f)) for f in (folder, other))
    assert b["from_elsewhere"][0]["source"] == "car.basso.zip"
    assert a == {**b, "from_elsewhere": []}
    assert said(capsys, "accept", "Car 31", "--folder", str(other)) == a
    assert said(capsys, "import", str(out), "--folder", str(other))["new"] is False


def test_backup_and_restore(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    backup = said(capsys, "backup", "--folder", str(folder))
    database = folder / "garage.sqlite"
    before = said(capsys, "show", "Car 31", "--folder", str(folder))
    database.write_bytes(database.read_bytes()[:9000])
    assert main(["garage", "list", "--folder", str(folder)]) == 2
    assert "restore the backup" in capsys.readouterr().err
    assert said(capsys, "restore", "--folder", str(folder))["path"] == backup["path"]
    assert said(capsys, "show", "Car 31", "--folder", str(folder)) == before


def test_an_empty_garage_is_no_fault_and_unknown_names_are(
    folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert said(capsys, "list", "--folder", str(tmp_path / "none"))["cars"] == []
    assert not (tmp_path / "none").exists()
    for arguments, words in (
        (["show", "Car 9", "--folder", str(folder)], "no car has that name; there are: 'Car 31'"),
        (["show", "Car 9", "--folder", str(tmp_path / "none")], "there is no garage yet"),
        (["restore", "--folder", str(folder)], "there is no backup"),
        (["import", str(tmp_path / "none.zip"), "--folder", str(folder)], "does not exist"),
    ):
        assert main(["garage", *arguments]) == 2
        error = capsys.readouterr().err
        assert words in error and error.count("\n") == 1


def test_compare_lists_the_cards_first(folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    demo = demo_folder()
    logs = ["compare", "--a", str(demo / "baseline-1.csv"), "--b", str(demo / "accumulator.csv")]
    assert main([*logs, "--garage", str(folder)]) == 0
    first, caution = capsys.readouterr().out.splitlines()[:2]
    assert (
        first.startswith("Build sheet, A → B: ") and "accumulator none → 2 L, manual valve, precharge 70 kPa;" in first
    )
    assert caution.startswith("The accumulator was armed on one side only")
    assert main([*logs, "--garage", str(folder), "--json"]) == 0
    cards = json.loads(capsys.readouterr().out)["cards"]
    assert {"what": "accumulator state", "a": "none", "b": "armed"} in cards["apart"] and len(cards["cautions"]) == 1
    assert main([*logs, "--json"]) == 0  # one's own garage: there is none
    assert "cards" not in json.loads(capsys.readouterr().out)
    own = default_folder()
    own.mkdir(parents=True)
    (own / FILE).write_bytes(b"no database" * 500)
    assert main(logs) == 0
    said = capsys.readouterr()
    assert (
        "The build sheets could not be read" in said.err
        and "is damaged and was left as it is" in said.err
        and "Build sheet" not in said.out
    )
    assert main([*logs, "--garage", str(tmp_path / "nothing")]) == 2
    assert "there is no garage" in capsys.readouterr().err


@pytest.fixture
def folder_with_samples(folder: Path) -> Path:
    """The demo garage with the samples of its first build's sessions kept."""
    from basso.formats.write import recording_bytes
    from basso.garage.store import Garage
    from basso.workflow import open_recording

    with Garage(folder) as garage:
        for name in ("baseline-1", "baseline-2"):
            recording = open_recording(demo_folder() / f"{name}.csv")
            garage.files.keep_samples(recording.content_hash, recording_bytes(recording, ".parquet", {}))
    return folder


def test_a_builds_normal_is_learned_kept_and_held_to(
    folder_with_samples: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    where = ("--folder", str(folder_with_samples))
    dry = said(capsys, "normal", "Car 31", "--build", "build 2, full mark", *where)
    assert dry["schema"] == "basso.garage-normal/1" and dry["kept"] is None
    assert dry["learned_from"] == ["Full mark, stint 1", "Full mark, stint 2"]
    assert {"session": "Four timed runs", "why": "its samples are not kept here"} in dry["left_out"]  # type: ignore[operator]
    shown = said(capsys, "show", "Car 31", *where)
    assert shown["records"]["normals"] == []  # type: ignore[index]

    kept = said(capsys, "normal", "Car 31", "--build", "Build 2, full mark", "--keep", "--reason", "first", *where)
    assert kept["kept"] == "Build 2, full mark, version 1" and kept["expected"] == dry["expected"]
    again = said(capsys, "normal", "Car 31", "--build", "Build 2, full mark", *where)
    assert again["to_the_version_before"]["offset_kpa"] == pytest.approx(0.0, abs=0.1)  # type: ignore[index]

    log, garage = str(demo_folder() / "baseline-2.csv"), str(folder_with_samples)
    assert main(["normal", log, "--garage", garage, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    against = [(h["against"], h["kept"]) for h in told["history"]]
    assert against[0] == ("Build 2, full mark, version 1", True) and ("Full mark, stint 1", False) in against[1:]
    assert told["flow"]["clearance"] == "loose" and told["cooling"]["to_c"] == 105.0
    assert main(["analyze", log, "--garage", garage, "--by-kept"]) == 0
    assert "Normal is that of Build 2, full mark, version 1" in capsys.readouterr().out


def test_what_cannot_be_learned_or_held_to_says_why(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["garage", "normal", "Car 31", "--folder", str(folder)]) == 2
    error = capsys.readouterr().err
    assert "there is no session to learn from" in error and "its accumulator was armed" in error
    assert main(["garage", "normal", "Car 31", "--build", "Build 9", "--folder", str(folder)]) == 2
    assert "no build has that name" in capsys.readouterr().err
    log = str(demo_folder() / "baseline-1.csv")
    assert main(["analyze", log, "--by-kept"]) == 2
    assert "Add --garage" in capsys.readouterr().err
    assert main(["analyze", log, "--by-kept", "--garage", str(folder)]) == 2
    assert "has no saved normal of its build" in capsys.readouterr().err


def test_a_season_is_told_of_the_logs_there_are(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    named = [w for n in ("baseline-1", "hot-day") for w in ("--log", str(demo_folder() / f"{n}.csv"))]
    made = said(capsys, "season", "Car 31", "--folder", str(folder), *named, "--rpm", "5500", "--oil-temp", "108")
    sessions: list[dict[str, object]] = made["sessions"]  # type: ignore[assignment]
    assert [s["session"] for s in sessions] == ["Full mark, stint 1", "Hot day"] and len(made["left_out"]) == 11  # type: ignore[arg-type]
    assert made["at"] == {"rpm": 5500.0, "oil_temp_c": 108.0} and sessions[0]["margin"] is not None
    assert main(["garage", "season", "Car 31", "--folder", str(folder), *named]) == 0
    out = capsys.readouterr().out
    assert "2026-05-12  Full mark, stint 1: margin " in out and "left out: Accumulator: its samples are not kept" in out
    strange = folder.parent / "strange.csv"
    strange.write_text((demo_folder() / "gated.csv").read_text().replace("\n", "\n\n", 1))
    assert main(["garage", "season", "Car 31", "--folder", str(folder), "--log", str(strange)]) == 2
    assert "strange.csv: no session of Car 31 has this log" in capsys.readouterr().err
    assert main(["garage", "season", "Car 31", "--folder", str(folder), "--rpm", "5"]) == 2
    assert "between 500 and 25000" in capsys.readouterr().err
