"""A short run of ``benchmarks.soak``: random acts on the real window, in a process of its own."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path


def test_random_acts_raise_nothing() -> None:
    done = subprocess.run(
        [sys.executable, "-X", "faulthandler", "-m", "benchmarks.soak", "12", "20261202"],
        cwd=Path(__file__).parent.parent.parent,
        capture_output=True,
        text=True,
        check=False,
        timeout=110,
    )
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-3000:]
    acts = int(done.stdout.split(" acts ")[0].split()[-1])
    assert acts >= 5
