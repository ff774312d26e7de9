"""A recording as files: ``samples.npy`` (one row of 64-bit floats) and plain values that say where in it what stands.

Open format; a recording in it maps into memory at once. The plain values carry the samples' checksum, so that a changed
byte is noticed before it is judged.
"""

from __future__ import annotations

import os
import zlib
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from basso.recording.summary import Summary, from_plain, summarise

if TYPE_CHECKING:
    from basso.recording.recording import Recording
    from basso.units import FloatArray, Unit

SAMPLES = "samples.npy"
_PIECE = 1 << 20


def store(folder: Path, recording: Recording) -> dict[str, Any]:
    """Write a recording's samples into a folder.

    Returns:
        Plain values for :func:`load`: the summary, the places of each channel's times and values, the checksum.

    Raises:
        OSError: it cannot be written; nothing is left half done.
    """
    import tempfile

    import numpy as np

    places: dict[int, tuple[int, int]] = {}
    arrays: list[FloatArray] = []
    at = 0

    def place(values: FloatArray) -> tuple[int, int]:
        nonlocal at
        if id(values) not in places:
            places[id(values)] = (at, values.size)
            arrays.append(values)
            at += values.size
        return places[id(values)]

    where = [(place(c.time_s), place(c.values)) for c in recording.channels]
    checksum = 0
    handle, fresh = tempfile.mkstemp(dir=folder)
    try:
        with os.fdopen(handle, "wb") as stream:
            np.lib.format.write_array_header_1_0(stream, {"descr": "<f8", "fortran_order": False, "shape": (at,)})
            stream.flush()
            for values in arrays:
                whole = np.ascontiguousarray(values)
                for start in range(0, whole.size, _PIECE):
                    checksum = zlib.crc32(whole[start : start + _PIECE].data, checksum)
                whole.tofile(stream)
        Path(fresh).replace(folder / SAMPLES)
    except BaseException:
        Path(fresh).unlink(missing_ok=True)
        raise
    return {"summary": summarise(recording).as_plain(), "places": where, "samples": at, "checksum": checksum}


def load(folder: Path, path: Path, kept: dict[str, Any]) -> Recording:
    """Read back what :func:`store` wrote, mapped into memory.

    Args:
        folder: where the samples are.
        path: the log they came from.
        kept: what ``store`` gave.

    Raises:
        ValueError, TypeError, KeyError, IndexError, OSError: it is something else, or a byte of it was changed.
    """
    import numpy as np

    file = folder / SAMPLES
    if file.stat().st_size == 0:
        raise ValueError(file)
    samples = np.asarray(np.load(file, mmap_mode="r", allow_pickle=False))
    if samples.dtype != np.float64 or samples.ndim != 1 or samples.size != kept["samples"]:
        raise ValueError(file)
    checksum = 0
    for start in range(0, samples.size, _PIECE):
        checksum = zlib.crc32(samples[start : start + _PIECE].data, checksum)
    if checksum != kept["checksum"]:
        raise ValueError(file)
    return _recording(samples, path, from_plain(kept["summary"]), kept["places"])


def _recording(samples: FloatArray, path: Path, summary: Summary, where: list[Any]) -> Recording:
    from basso.recording.channel import Channel
    from basso.recording.recording import Recording
    from basso.recording.roles import Role
    from basso.units import UNITS

    views: dict[tuple[int, int], FloatArray] = {}

    def view(place: list[int]) -> FloatArray:
        start, size = place
        if not (start >= 0 and size >= 0 and start + size <= samples.size):
            raise ValueError(path)
        # Channels sampled together share one array of times, as they did when they were read.
        return views.setdefault((start, size), samples[start : start + size])

    def unit(symbol: str | None) -> Unit | None:
        return UNITS[symbol] if symbol is not None else None

    channels = tuple(
        Channel(
            name=c.name,
            role=Role(c.role) if c.role is not None else None,
            unit=unit(c.unit),
            unit_assumed=c.unit_assumed,
            time_s=view(times),
            values=view(values),
            confidence=c.confidence,
            why=c.why,
            doubt=c.doubt,
        )
        for c, (times, values) in zip(summary.channels, where, strict=True)
    )
    if any(c.time_s.size != c.values.size for c in channels):
        raise ValueError(path)
    return Recording(
        path=path,
        format=summary.format,
        channels=channels,
        notes=summary.notes,
        facts=MappingProxyType(dict(summary.facts)),
        content_hash=summary.content_hash,
        started=summary.started,
        manual=summary.manual,
        shape=summary.shape,
        damage=summary.damage,
    )
