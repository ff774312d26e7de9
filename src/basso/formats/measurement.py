"""Reading ASAM measurement files (MDF 3 and 4); bus frames inside them are decoded with a database."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

from basso.errors import FormatError
from basso.formats.assemble import RawColumn, assemble, headings_of
from basso.formats.options import ReadOptions, database_for
from basso.formats.timebase import repair
from basso.progress import Progress
from basso.recording.recording import Recording
from basso.units import FloatArray

_PATIENCE_S = 90.0


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read every channel of numbers, each group at its own times."""
    import tempfile

    progress(0.0, f"reading {path.name}")
    database = database_for(path, options)
    with tempfile.TemporaryDirectory(prefix="basso-") as folder:
        samples = Path(folder) / "samples"
        found = _taken_out(path, database, samples, progress)
        numbers = np.fromfile(samples, dtype="<f8").astype(np.float64, copy=False)
    notes: list[str] = list(found["notes"])
    columns = _columns(found["columns"], numbers, notes)
    if not columns:
        raise FormatError(path, "holds no channel with two samples or more", "record again, or export another part")
    return assemble(path, f"MDF {found['version']}", columns, options, notes, found["facts"], found["started"])


def _taken_out(path: Path, database: Path | None, samples: Path, progress: Progress) -> dict[str, Any]:
    """Let the child take the channels out; whatever becomes of it, this process goes on."""
    import subprocess
    import threading

    command = [
        sys.executable,
        "-P",
        "-m",
        "basso.formats.measurement_child",
        str(path),
        str(database or ""),
        str(samples),
    ]
    found: dict[str, Any] | None = None
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as child:
        assert child.stdout is not None
        # Damage can also make the library run in circles.
        patience = threading.Timer(_PATIENCE_S + path.stat().st_size / 1e6, child.kill)
        patience.daemon = True
        patience.start()
        try:
            for line in child.stdout:
                told = json.loads(line)
                if "progress" in told:
                    progress(0.1 + 0.7 * float(told["progress"]), f"reading {path.name}")
                found = told.get("found", found)
        except ValueError:
            found = None
        except BaseException:
            # The user stopped the work (progress raised): the child must not go on alone.
            child.kill()
            raise
        finally:
            patience.cancel()
    if child.returncode != 0 or found is None:
        raise FormatError(path, "is damaged or was cut short", "copy it from the logger again")
    return found


def _columns(found: list[dict[str, Any]], numbers: FloatArray, notes: list[str]) -> list[RawColumn]:
    """Columns at their own times, from the first sample of any of them; stamps that need it are mended."""
    stamps: dict[tuple[int, int], FloatArray] = {}
    firsts = [float(numbers[c["times"][0]]) for c in found]
    first = min((t for t in firsts if np.isfinite(t)), default=0.0)
    columns = []
    for heading, c in zip(headings_of([c["name"] for c in found], [c["unit"] for c in found]), found, strict=True):
        start, size = c["times"]
        at = stamps.setdefault((start, size), numbers[start : start + size] - first)
        values = numbers[c["values"][0] : c["values"][0] + c["values"][1]].copy()
        if at.size == values.size and not bool(np.all(np.diff(at) > 0)):
            begin = float(at[0])
            at, (values,) = repair(at, [values], notes)
            at = at + begin
        if at.size == values.size and at.size >= 2:
            columns.append(RawColumn(heading, at, values))
    return columns
