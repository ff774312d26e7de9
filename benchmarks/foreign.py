"""Files that others wrote: ``python -m benchmarks.foreign FOLDER…`` reads every bus log and database under the folders.

Meant for the unpacked source distributions of the bus libraries (fetch them with ``pip download --no-binary``), which
carry sample logs and databases. Logs are read whole; every signal of every database is decoded from random frames by
Basso and by the library, and must agree. Prints what could not be read and the counts.
"""

from __future__ import annotations

import sys
import warnings
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np

from basso.errors import BassoError
from basso.formats.database import raw_values
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording

_LOGS = {".asc", ".blf", ".log", ".trc", ".mf4"}
_DATABASES = {".dbc", ".kcd", ".sym", ".arxml"}


def logs(files: list[Path]) -> None:
    """Read every log; a log without a database gives its raw bytes."""
    outcome: Counter[str] = Counter()
    for file in files:
        try:
            recording = read_recording(file, ReadOptions())
            outcome["read"] += 1
            print(f"  read     {file.name}: {recording.format}, {len(recording.channels)} channels")
        except BassoError as error:
            outcome["refused"] += 1
            print(f"  refused  {error}")
        except Exception as error:
            outcome["FAILED"] += 1
            print(f"  FAILED   {file}: {type(error).__name__}: {error}")
    print(f"logs: {dict(outcome)}")


def databases(files: list[Path], frames: int = 200) -> None:
    """Decode random frames by both ways and compare signal by signal."""
    import cantools

    outcome: Counter[str] = Counter()
    rng = np.random.default_rng(1)
    for file in files:
        try:
            database: Any = cantools.database.load_file(str(file), strict=False)
            messages = database.messages
        except Exception as error:
            outcome["database the library itself refuses"] += 1
            print(f"  library  {file.name}: {type(error).__name__}")
            continue
        outcome["databases"] += 1
        for message in messages:
            if not message.signals or message.is_container or not message.length:
                continue
            data = rng.integers(0, 256, (frames, message.length), dtype=np.uint8)
            bits = np.unpackbits(data, axis=1, bitorder="little")
            lengths = np.full(frames, message.length)
            try:
                truth = [message.decode(bytes(row), decode_choices=False, scaling=False) for row in data]
            except Exception:
                outcome["messages the library does not decode from random bytes"] += 1
                continue
            for signal in message.signals:
                wanted = np.array([float(t.get(signal.name, np.nan)) for t in truth])
                found = raw_values(signal, bits, lengths)
                present = np.isfinite(wanted)
                same = np.isclose(found[present], wanted[present], rtol=1e-12, atol=0, equal_nan=True)
                outcome["signals agree" if same.all() else "SIGNALS DIFFER"] += 1
                if not same.all():
                    print(f"  DIFFERS  {file.name} {message.name}.{signal.name}")
    print(f"databases: {dict(outcome)}")


def main() -> None:
    """Everything under the folders named."""
    warnings.simplefilter("ignore")
    files = [f for folder in sys.argv[1:] for f in sorted(Path(folder).rglob("*")) if f.is_file()]
    logs([f for f in files if f.suffix.lower() in _LOGS or "candump" in f.name.lower()])
    databases([f for f in files if f.suffix.lower() in _DATABASES])


if __name__ == "__main__":
    main()
