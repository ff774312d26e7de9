"""Two windows decide and confirm at once: nothing that either kept is lost."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from basso.memory.columns import Columns
from basso.memory.decisions import Decisions

EACH = 30
CODE = """
import sys
from pathlib import Path
from basso.memory.columns import Confirmed, Columns
from basso.memory.decisions import Decision, Decisions
folder, who = Path(sys.argv[1]), sys.argv[2]
for i in range(int(sys.argv[3])):
    Decisions(folder / "readings.json").keep(f"{who}{i}", Decision(frozenset({("P", "offset")})))
    Columns(folder / "mappings.json").remember(f"{who}-{i}", Confirmed({"rpm": who}, {}, (), "2026-01-01"))
"""


def test_nothing_is_lost_between_two_processes(tmp_path: Path) -> None:
    running = [subprocess.Popen([sys.executable, "-c", CODE, str(tmp_path), who, str(EACH)]) for who in "ab"]
    assert [p.wait() for p in running] == [0, 0]
    decided, confirmed = Decisions(tmp_path / "readings.json"), Columns(tmp_path / "mappings.json").all()
    assert len(confirmed) == 2 * EACH
    assert all(decided.of(f"{who}{i}").refused for who in "ab" for i in range(EACH))
