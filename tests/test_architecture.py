"""The plan of the house holds: imports run downhill, and nothing under the window knows Qt."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
_IMPORT_EVERYTHING = """
import importlib, pkgutil, sys, basso
for module in pkgutil.walk_packages(basso.__path__, "basso."):
    if not module.name.startswith("basso.ui"):
        importlib.import_module(module.name)
bad = sorted(m for m in sys.modules if m.split(".")[0] in ("PySide6", "shiboken6"))
print(",".join(bad))
"""


def test_nothing_under_the_window_imports_qt() -> None:
    done = subprocess.run([sys.executable, "-c", _IMPORT_EVERYTHING], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == ""


def test_a_command_line_run_never_loads_qt() -> None:
    script = (
        "import sys; from basso.cli.main import main; main(['standin', '--list']); assert 'PySide6' not in sys.modules"
    )
    subprocess.run([sys.executable, "-c", script], check=True, capture_output=True)


@pytest.mark.parametrize(
    "module", ["basso.ui.stations.dips.picture", "basso.ui.stations.trial.picture", "basso.ui.stations.catalogue"]
)
def test_pictures_need_no_qt(module: str) -> None:
    script = f"import sys, {module}; assert 'PySide6' not in sys.modules"
    subprocess.run([sys.executable, "-c", script], check=True, capture_output=True)


def test_import_order() -> None:
    tool = shutil.which("lint-imports", path=str(Path(sys.executable).parent))
    if tool is None:
        pytest.fail("import-linter is not installed: run the tests with make test")
    done = subprocess.run([tool, "--no-logo"], cwd=ROOT, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout


def test_importing_basso_does_no_work() -> None:
    script = "import sys, basso; assert not {'numpy', 'polars', 'PySide6'} & set(sys.modules)"
    subprocess.run([sys.executable, "-c", script], check=True)
