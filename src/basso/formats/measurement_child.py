"""Takes the channels out of a measurement file in a process of its own: ``python -m basso.formats.measurement_child``.

The library's native code can bring the whole process down over a damaged file. Here it takes nothing with it.
Arguments: the file, a bus database or "", and where to write the samples (64-bit floats, one after another). On standard
output: one JSON document a line: ``progress``, ``problem`` or, last, ``found``.
"""

from __future__ import annotations

import json
import logging
import sys
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from asammdf import MDF

    from basso.units import FloatArray

_FRAMES = "CAN_DataFrame"


class _Out:
    """Samples written one after another; an array written before is only pointed at."""

    def __init__(self, stream: IO[bytes]) -> None:
        self._stream, self._at = stream, 0
        self._times: list[tuple[FloatArray, tuple[int, int]]] = []

    def put(self, values: FloatArray) -> tuple[int, int]:
        values.astype("<f8").tofile(self._stream)
        place = (self._at, values.size)
        self._at += values.size
        return place

    def put_times(self, times: FloatArray) -> tuple[int, int]:
        for known, place in self._times:
            if known.size == times.size and np.array_equal(known, times):
                return place
        place = self.put(times)
        self._times.append((times, place))
        return place


def main() -> None:
    """Read the file named and write what is in it."""
    path, database, samples = Path(sys.argv[1]), sys.argv[2], Path(sys.argv[3])
    logging.disable(logging.CRITICAL)
    from asammdf import MDF

    notes: list[str] = []
    with samples.open("wb") as stream, path.open("rb") as source, MDF(source) as file:
        out = _Out(stream)
        columns = _columns(file, out, notes)
        groups: list[Any] = list(file.groups)
        if any(c.name.startswith(_FRAMES) for g in groups for c in g.channels):
            if not database:
                notes.append("It holds bus frames too; name the database that decodes them with --dbc FILE.")
            else:
                with file.extract_bus_logging({"CAN": [(database, 0)]}) as decoded:
                    columns += _columns(decoded, out, notes)
                notes.append(f"Bus frames were decoded with {Path(database).name}.")
        began = (
            file.start_time.replace(tzinfo=None).isoformat(timespec="seconds") if file.start_time.year > 1980 else ""
        )
        _say({
            "found": {
                "version": str(file.version), "started": began, "columns": columns, "notes": notes, "facts": _facts(file),
            }
        })  # fmt: skip


def _facts(file: MDF) -> dict[str, str]:
    """What the file's header says of the measurement; its "subject" is what was measured."""
    head = file.header
    named = {
        "Vehicle": head.subject, "Project": head.project, "Author": head.author, "Department": head.department,
        "Comment": head.description,
    }  # fmt: skip
    texts = {k: str(value or "").strip("\x00 \n") for k, value in named.items()}
    return {k: v for k, v in texts.items() if v and not v.startswith("<")}  # markup is nothing to read


def _say(document: dict[str, Any]) -> None:
    print(json.dumps(document), flush=True)


def _columns(file: MDF, out: _Out, notes: list[str]) -> list[dict[str, Any]]:
    """Every channel that is numbers: name, unit, and where its times and values stand."""
    found: list[dict[str, Any]] = []
    groups: list[Any] = list(file.groups)
    for number, group in enumerate(groups):
        _say({"progress": number / len(groups)})
        master = file.masters_db.get(number)
        for index, channel in enumerate(group.channels):
            if index == master or channel.name.startswith((_FRAMES, "LIN_Frame")):
                continue
            signal = file.get(group=number, index=index)
            samples = np.asarray(signal.samples)
            if samples.dtype.kind not in "fiub":
                samples = np.asarray(file.get(group=number, index=index, raw=True).samples)
            if samples.ndim != 1 or samples.dtype.kind not in "fiub":
                notes.append(f"Channel '{signal.name}' holds no single numbers and was left out.")
            elif samples.size >= 2:
                times = np.asarray(signal.timestamps, dtype=np.float64)
                place = {"times": out.put_times(times), "values": out.put(samples.astype(np.float64))}
                found.append({"name": signal.name, "unit": signal.unit or "", **place})
    return found


if __name__ == "__main__":
    main()
