"""A slice of ``benchmarks.attack``: a hundred damaged and crafted inputs, each read or refused in one sentence."""

from __future__ import annotations

from pathlib import Path

import pytest
from benchmarks.attack import QUICK, Attack, attacks, make_ground, one

COUNT, SEED = 100, 20261129


def test_no_input_gets_past_as_anything_but_a_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(tmp_path))  # put back afterwards: the ground sets its own
    ground = make_ground(tmp_path / "ground")
    done: list[Attack] = [one(ground, kind, number, SEED) for kind, number in attacks(COUNT, SEED, QUICK)]
    assert [a for a in done if a.wrong] == []
    assert len(done) >= COUNT - 5 and 0.3 * COUNT < sum(a.refused for a in done) < 0.9 * COUNT
