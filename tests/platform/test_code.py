"""Basso as bytecode alone, and frozen into one program."""

from __future__ import annotations

import compileall
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import basso
from basso.platform import code
from basso.platform.code import CHILD, command_of, stamp_of_code

_USES_EVERYTHING_THAT_LOOKS_FOR_FILES = """
import sys
from pathlib import Path
import basso
from basso.cli.main import main
from basso.garage.records import Car
from basso.garage.store import Garage
from basso.workflow import demo_folder

assert basso.__file__.endswith(".pyc"), basso.__file__
with Garage(Path(sys.argv[1])) as garage:
    garage.add("a car", Car(name="Car 31"))
with Garage(Path(sys.argv[1])) as garage:
    print([c.name for c in garage.all(Car)])
sys.exit(main(["import", str(demo_folder() / "gated.csv")]))
"""


def test_a_copy_without_source_keeps_its_cache_and_its_garage(tmp_path: Path) -> None:
    copy = tmp_path / "copy" / "basso"
    shutil.copytree(Path(basso.__file__).parent, copy, ignore=shutil.ignore_patterns("__pycache__", "bus", "fonts"))
    assert compileall.compile_dir(copy, legacy=True, quiet=1, workers=1)
    for source in copy.rglob("*.py"):
        source.unlink()
    own = {f"XDG_{kind}_HOME": str(tmp_path / kind) for kind in ("CACHE", "DATA", "CONFIG", "STATE")}
    command = [sys.executable, "-c", _USES_EVERYTHING_THAT_LOOKS_FOR_FILES, str(tmp_path / "garage")]
    environment = {**os.environ, **own, "PYTHONPATH": str(copy.parent)}
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "['Car 31']" in done.stdout
    assert list((tmp_path / "CACHE" / "basso" / "recordings").glob("*/summary.json")), "what was read is kept"


def test_another_version_of_a_room_has_another_stamp(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package = tmp_path / "basso"
    (package / "oil").mkdir(parents=True)
    for file in ("__init__.py", "units.py", "oil/grades.py"):
        (package / file).write_text("a = 1\n")
    monkeypatch.setattr(code, "__file__", str(package / "platform" / "code.py"))
    before = stamp_of_code("units", "oil")
    assert stamp_of_code("units", "oil") == before
    (package / "oil" / "grades.py").write_text("a = 12\n")
    changed = stamp_of_code("units", "oil")
    assert changed != before
    (package / "unasked.py").write_text("a = 1\n")
    assert stamp_of_code("units", "oil") == changed, "only the rooms that were asked for count"


def test_a_frozen_program_is_its_own_version_and_its_own_child(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(basso, "__file__", str(tmp_path / "inside" / "__init__.pyc"))
    assert stamp_of_code("units") != "", "the program stands in for files that are not there"
    assert command_of("basso.formats.child") == [sys.executable, "-P", "-m", "basso.formats.child"]
    monkeypatch.setattr(sys, "frozen", True, raising=False)
    assert command_of("basso.formats.child") == [sys.executable, CHILD, "basso.formats.child"]


@pytest.mark.parametrize("module", ["json.tool", "bassoon.thing"])
def test_a_program_started_as_a_child_runs_no_module_but_its_own(module: str) -> None:
    starts = "import sys; from basso.cli.main import entry; sys.argv = ['basso', *sys.argv[1:]]; entry()"
    done = subprocess.run(
        [sys.executable, "-c", starts, CHILD, module, "--help"], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout) == (0, "")
