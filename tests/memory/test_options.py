"""What the owner writes beside the options is there again, for its car alone; a damaged file counts as none."""

from __future__ import annotations

from pathlib import Path

from basso.memory.memory import Memory
from basso.memory.options import OptionNotes, Options


def test_notes_are_kept_for_each_car(tmp_path: Path) -> None:
    kept = Memory(tmp_path).options
    notes = OptionNotes({"level": "30"}, {"dry_sump": "not allowed"}, {"stages": "3"})
    kept.keep("one", notes)
    kept.keep("two", OptionNotes({"pan": "900"}))
    assert Options(tmp_path / "options.json").of("one") == notes
    assert kept.of("two").cost == {"pan": "900"} and kept.of("three") == OptionNotes()


def test_what_cannot_be_read_counts_as_none_and_nothing_is_kept_without_a_folder(tmp_path: Path) -> None:
    file = tmp_path / "options.json"
    file.write_text('{"version": 1, "cars": {"one": {"cost": {"level": 5, "pan": "x"}, "rules": []}}}')
    assert Options(file).of("one") == OptionNotes({"pan": "x"})
    file.write_text("{")
    assert Options(file).of("one") == OptionNotes()
    nowhere = Memory().options
    nowhere.keep("one", OptionNotes({"pan": "x"}))
    assert nowhere.of("one") == OptionNotes()
