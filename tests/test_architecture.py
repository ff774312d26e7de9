"""The plan of the house holds: what may import what, taken from the file names themselves, so that no new file slips
through."""

from __future__ import annotations

import shutil
import subprocess
import sys
from collections.abc import Iterable
from functools import cache
from pathlib import Path

import grimp
import pytest

ROOT = Path(__file__).parent.parent
SRC = ROOT / "src" / "basso"
_IMPORT_EVERYTHING = """
import importlib, pkgutil, sys, basso
for module in pkgutil.walk_packages(basso.__path__, "basso."):
    if not module.name.startswith("basso.ui"):
        importlib.import_module(module.name)
bad = sorted(m for m in sys.modules if m.split(".")[0] in ("PySide6", "shiboken6"))
print(",".join(bad))
"""
WITHOUT_QT = {
    *("basso.ui.stations.catalogue", "basso.ui.stations.working", "basso.ui.stations.garage.verb"),
    *("basso.ui.plots.pyramid", "basso.ui.plots.ticks", "basso.ui.plots.nearest", "basso.ui.pan.readings"),
}
"""Modules of the window that need no Qt beside those called a picture or a working."""


@cache
def imports() -> grimp.ImportGraph:
    """Every import of the house, those that serve types only among them."""
    return grimp.build_graph("basso", include_external_packages=True)


def reached(start: str, barred: Iterable[str] = ()) -> set[str]:
    """Everything a module leads to when it is imported; imports for types alone are left out by reading the file."""
    seen, todo = set(), [start]
    while todo:
        module = todo.pop()
        for found in imports().find_modules_directly_imported_by(module):
            if found not in seen and found not in barred and not _for_types_only(module, found):
                seen.add(found)
                todo.append(found)
    return seen


@cache
def _for_types_only(importer: str, imported: str) -> bool:
    details = imports().get_import_details(importer=importer, imported=imported)
    lines = _source(importer).splitlines()
    return bool(details) and all(_under_type_checking(lines, int(d["line_number"])) for d in details)


@cache
def _source(module: str) -> str:
    path = ROOT / "src" / Path(*module.split("."))
    file = path.with_suffix(".py") if path.with_suffix(".py").is_file() else path / "__init__.py"
    return file.read_text(encoding="utf-8")


def _under_type_checking(lines: list[str], number: int) -> bool:
    if not lines[number - 1].startswith(" "):
        return False
    above = next((x for x in reversed(lines[: number - 1]) if x and not x.startswith(" ")), "")
    return above.startswith("if TYPE_CHECKING")


def modules(under: str) -> list[str]:
    return sorted(m for m in imports().modules if m == under or m.startswith(f"{under}."))


def test_nothing_under_the_window_imports_qt() -> None:
    done = subprocess.run([sys.executable, "-c", _IMPORT_EVERYTHING], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == ""


def test_only_the_window_speaks_of_qt() -> None:
    users = {m for qt in ("PySide6", "shiboken6") if qt in imports().modules for m in _users_of(qt)}
    assert users and all(m.startswith("basso.ui") for m in users)


def _users_of(package: str) -> set[str]:
    return imports().find_modules_that_directly_import(package)


def test_a_command_line_run_never_loads_qt() -> None:
    script = (
        "import sys; from basso.cli.main import main; main(['standin', '--list']); assert 'PySide6' not in sys.modules"
    )
    subprocess.run([sys.executable, "-c", script], check=True, capture_output=True)


def test_pictures_and_workings_are_made_without_qt() -> None:
    named = {m for m in modules("basso.ui") if m.rsplit(".", 1)[-1].endswith(("picture", "working", "pyramid"))}
    assert len(named) >= 12
    for module in sorted(named | WITHOUT_QT):
        assert module in imports().modules, f"{module} is gone: take it off the list"
        qt = {m for m in reached(module) if m.split(".")[0] == "PySide6"}
        assert not qt, f"{module} leads to {qt}"


def test_sql_is_spoken_in_the_garage_alone() -> None:
    users = {m for sql in ("sqlalchemy", "alembic", "sqlite3") if sql in imports().modules for m in _users_of(sql)}
    assert users and all(m.startswith("basso.garage") for m in users)


def test_the_stand_in_car_never_learns_from_the_judge() -> None:
    judge = ("pressure", "normal", "oilway", "trust", "findings", "trial", "analysis", "workflow", "alarm")
    for module in modules("basso.standin"):
        learned = {m for m in reached(module) if m.startswith(tuple(f"basso.{x}" for x in judge))}
        assert not learned, f"{module} leads to {sorted(learned)}"
        assert not any(m.startswith("basso.sump.flow") for m in reached(module))


STATIONS = sorted(p.parent.name for p in (SRC / "ui" / "stations").glob("*/station.py"))


@pytest.mark.parametrize("station", STATIONS)
def test_a_station_knows_no_sibling(station: str) -> None:
    for module in modules(f"basso.ui.stations.{station}"):
        for found in imports().find_modules_directly_imported_by(module):
            other = found.removeprefix("basso.ui.stations.").split(".")[0] if ".stations." in found else station
            assert other == station or other not in STATIONS, f"{module} imports {found}"


def test_the_catalogue_and_the_folders_are_the_same_stations() -> None:
    from basso.ui.stations.catalogue import STATIONS as ROWS

    assert sorted(r.key for r in ROWS) == STATIONS


ROOMS_OF_THE_WINDOW = (
    ("basso.ui.app",),
    ("basso.ui.window",),
    (*(f"basso.ui.stations.{s}" for s in STATIONS), "basso.ui.judging", "basso.ui.live"),
    (
        "basso.ui.stations.finding_station",
        "basso.ui.stations.what_if",
        "basso.ui.stations.command_buttons",
        "basso.ui.stations.form",
        "basso.ui.stations.words",
        "basso.ui.stations.table",
    ),
    ("basso.ui.stations.station", "basso.ui.stations.catalogue", "basso.ui.stations.working"),
    ("basso.ui.bench", "basso.ui.tide", "basso.ui.pan"),
    ("basso.ui.files", "basso.ui.plots"),
    ("basso.ui.models",),
    ("basso.ui.dialogs",),
    ("basso.ui.theme", "basso.ui.plain", "basso.ui.layouts"),
)
"""From the top down; a room imports those below it and its own."""


def test_the_rooms_of_the_window_lie_on_floors() -> None:
    floor = {room: i for i, rooms in enumerate(ROOMS_OF_THE_WINDOW) for room in rooms}

    def floor_of(module: str) -> int:
        rooms = [r for r in floor if module == r or module.startswith(f"{r}.")]
        assert rooms, f"{module} stands on no floor: give it one in this test"
        return floor[max(rooms, key=len)]

    for module in modules("basso.ui"):
        if module in ("basso.ui", "basso.ui.stations"):
            continue
        for found in imports().find_modules_directly_imported_by(module):
            # Types serve the reader only; that nothing goes round in a circle is held below, types or not.
            if found.startswith("basso.ui.") and found != "basso.ui.stations" and not _for_types_only(module, found):
                assert floor_of(found) >= floor_of(module), f"{module} reaches up to {found}"


def test_no_import_goes_round_in_a_circle() -> None:
    """Types among them: two modules that name each other cannot be read one after the other."""
    graph = {
        m: {x for x in imports().find_modules_directly_imported_by(m) if x.startswith("basso")}
        for m in modules("basso")
    }
    circles = [sorted(c) for c in _circles(graph) if len(c) > 1]
    assert not circles, circles


def _circles(graph: dict[str, set[str]]) -> list[set[str]]:
    """The sets of modules of which each leads to every other (Tarjan's, without recursion)."""
    order: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[set[str]] = []
    for root in graph:
        if root in order:
            continue
        work = [(root, iter(graph[root]))]
        order[root] = low[root] = len(order)
        stack.append(root)
        while work:
            node, rest = work[-1]
            for child in rest:
                if child not in graph:
                    continue
                if child not in order:
                    order[child] = low[child] = len(order)
                    stack.append(child)
                    work.append((child, iter(graph[child])))
                    break
                if child in stack:
                    low[node] = min(low[node], order[child])
            else:
                work.pop()
                if work:
                    low[work[-1][0]] = min(low[work[-1][0]], low[node])
                if low[node] == order[node]:
                    circle: set[str] = set()
                    while True:
                        circle.add(top := stack.pop())
                        if top == node:
                            break
                    found.append(circle)
    return found


def test_import_order() -> None:
    tool = shutil.which("lint-imports", path=str(Path(sys.executable).parent))
    if tool is None:
        pytest.fail("import-linter is not installed: run the tests with make test")
    done = subprocess.run([tool, "--no-logo"], cwd=ROOT, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout


def test_importing_basso_does_no_work() -> None:
    script = "import sys, basso; assert not {'numpy', 'polars', 'PySide6'} & set(sys.modules)"
    subprocess.run([sys.executable, "-c", script], check=True)


def test_a_kept_answer_is_known_by_all_the_code_it_rests_on() -> None:
    from basso.report.kept_answers import JUDGING

    answers_alike = {"errors", "files", "plain_text", "platform", "progress"}  # none of them has a say in an answer
    rooms = {
        module.split(".")[1]
        for start in ("basso.analysis", "basso.report.several")
        for module in imports().find_upstream_modules(start, as_package=True)
        if module.startswith("basso.")
    }
    assert rooms - answers_alike == set(JUDGING)
