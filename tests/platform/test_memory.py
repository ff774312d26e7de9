"""Arrays that come and go ask the kernel for their memory once."""

from __future__ import annotations

import subprocess
import sys

_FAULTS = """
import resource, sys
import numpy as np
from basso.platform.memory import keep_freed_memory
if sys.argv[1] == "kept":
    keep_freed_memory()
def work():
    for i in range(40):
        a, b, c = (np.ones(360_000 + 1000 * i + j) for j in range(3))
        del b, a, c
work()
before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
work()
print(resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before)
"""


def _faults(how: str) -> int:
    done = subprocess.run([sys.executable, "-c", _FAULTS, how], capture_output=True, text=True, check=True)
    return int(done.stdout)


def test_what_was_freed_is_not_asked_for_again() -> None:
    assert _faults("kept") < 0.1 * _faults("as it is")
