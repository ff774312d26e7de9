"""Basso in the desktop's menu."""

from __future__ import annotations

import configparser
import shutil
import subprocess
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

import basso
from basso.cli.main import main
from basso.garage.place import BUNDLE_SUFFIX
from basso.platform.folders import cache_folder, data_folder, state_folder
from basso.version import VERSION

HERE = Path(basso.__file__).parent / "desktop"


def _entry(path: Path) -> configparser.SectionProxy:
    read = configparser.ConfigParser(interpolation=None)
    read.optionxform = str  # type: ignore[assignment,method-assign]
    read.read(path, encoding="utf-8")
    return read["Desktop Entry"]


def test_it_comes_and_goes_without_a_trace(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["desktop"]) == 0
    written = [Path(line.removeprefix("written: ")) for line in capsys.readouterr().out.splitlines()]
    assert len(written) == 3 and all(data_folder().parent in p.parents and p.is_file() for p in written)
    entry = _entry(data_folder().parent / "applications/basso.desktop")
    program = entry["Exec"].split(" open ")[0].split()[0].strip('"')
    assert Path(program).is_file() and entry["Exec"].endswith(" open %F")
    assert main(["desktop", "--remove"]) == 0
    assert not any(p.exists() for p in written)


def test_a_folder_with_odd_letters_stays_one_word(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    odd = tmp_path / 'my $HOME "x" 5%' / "basso"
    monkeypatch.setattr("sys.argv", [str(odd)])
    assert main(["desktop"]) == 0
    line = _entry(data_folder().parent / "applications/basso.desktop")["Exec"]
    assert line == f'"{tmp_path}/my \\\\$HOME \\\\"x\\\\" 5%%/basso" open %F'


def test_what_ships_agrees_with_the_program() -> None:
    entry = _entry(HERE / "basso.desktop")
    kind = "application/x-basso-car+zip"
    assert kind in entry["MimeType"].split(";")
    mime = ET.parse(HERE / "basso-mime.xml").getroot()
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    assert [t.get("type") for t in mime.iter(f"{space}mime-type")] == [kind]
    assert [g.get("pattern") for g in mime.iter(f"{space}glob")] == [f"*{BUNDLE_SUFFIX}"]
    about = ET.parse(HERE / "basso.metainfo.xml").getroot()
    assert about.findtext("launchable") == "basso.desktop" and about.findtext("provides/mediatype") == kind
    assert next(r.get("version") for r in about.iter("release")) == VERSION


@pytest.mark.parametrize(
    "command",
    [
        ["desktop-file-validate", str(HERE / "basso.desktop")],
        ["appstreamcli", "validate", "--no-net", str(HERE / "basso.metainfo.xml")],
    ],
)
def test_the_desktops_own_checkers_agree_where_they_are_installed(command: list[str]) -> None:
    program = shutil.which(command[0])
    if program is None:
        pytest.skip(f"{command[0]} is not installed")
    done = subprocess.run([program, *command[1:]], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


@pytest.mark.parametrize(
    ("variable", "folder", "home"),
    [
        ("XDG_DATA_HOME", data_folder, ".local/share"),
        ("XDG_CACHE_HOME", cache_folder, ".cache"),
        ("XDG_STATE_HOME", state_folder, ".local/state"),
    ],
)
def test_a_relative_folder_in_the_environment_is_as_good_as_none(
    variable: str, folder: object, home: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    assert callable(folder)
    monkeypatch.setenv(variable, "somewhere")
    assert folder() == tmp_path / home / "basso"
    monkeypatch.setenv(variable, str(tmp_path / "mine"))
    assert folder() == tmp_path / "mine" / "basso"
