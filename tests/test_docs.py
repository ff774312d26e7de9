"""What the guide and the documents say is so: examples run, commands, options, stations and keys are there."""

from __future__ import annotations

import re
import shutil
from importlib import import_module
from pathlib import Path

import pytest

from basso.cli.main import COMMANDS
from basso.cli.parser import Parser
from basso.guide import PAGES
from basso.ui.app import make_window
from basso.ui.stations.catalogue import STATIONS
from basso.workflow import demo_folder
from support import destroy

HOUSE = Path(__file__).parent.parent
TEXTS = {p.key: p.text for p in PAGES} | {
    name: (HOUSE / name).read_text(encoding="utf-8") for name in ("README.md", "docs/python.md", "CONTRIBUTING.md")
}
_OPTION = re.compile(r"(?<![\w-])--[a-z][a-z-]*")


def test_every_example_for_python_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for log in demo_folder().glob("*.csv"):
        shutil.copy(log, tmp_path)
    monkeypatch.chdir(tmp_path)
    blocks = re.findall(r"```python\n(.*?)```", TEXTS["docs/python.md"], re.DOTALL)
    assert len(blocks) >= 6
    told: list[str] = []
    names: dict[str, object] = {"print": lambda *words: told.append(" ".join(map(str, words)))}
    for block in blocks:
        exec(compile(block, "docs/python.md", "exec"), names)
    assert "better" in told and any(t.startswith("missing.csv: does not exist") for t in told)


@pytest.mark.parametrize("name", TEXTS)
def test_commands_and_options_named_are_there(name: str) -> None:
    text = TEXTS[name]
    lines = re.findall(r"`(?:\.venv/bin/)?(basso [^`\n]+)`", text) + re.findall(r"^    (basso .+)$", text, re.MULTILINE)
    for line in lines:
        command = line.split()[1]
        if command.startswith("-") or "." in command:
            continue
        assert command in COMMANDS, line
        parser = Parser()
        import_module(COMMANDS[command]).add_arguments(parser)
        assert set(_OPTION.findall(line)) <= {"--help", *_OPTION.findall(parser.format_help())}, line


def test_every_station_has_its_page_under_its_title() -> None:
    pages = {p.key: p.title for p in PAGES if p.group == "Stations"}
    assert pages == {row.key: row.title for row in STATIONS}


def test_keys_and_buttons_named_are_there(application: object) -> None:
    from PySide6.QtWidgets import QApplication

    assert isinstance(application, QApplication)
    window = make_window(application)
    keys = {k for c in window.desk.commands.rows for k in c.keys}
    titles = {c.title for c in window.desk.commands.rows}
    destroy(window)
    for name, text in TEXTS.items():
        named = set(re.findall(r"\*\*((?:Ctrl\+|Alt\+|Shift\+)[^*]+|F\d+|[A-Z])\*\*", text))
        assert named <= keys, (name, named - keys)
        if name in {p.key for p in PAGES}:
            verbs = set(re.findall(r"\*\*([A-Z][^*]+…)\*\*", text))
            assert verbs <= titles, (name, verbs - titles)


def test_no_page_is_longer_than_somebody_reads_at_a_pit_wall() -> None:
    assert {p.key: len(p.text.split()) for p in PAGES if p.group == "Stations" and len(p.text.split()) > 260} == {}
