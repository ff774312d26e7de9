"""How well a drive is judged while it runs: the dips found live against those of the whole log; time and memory.

    python -m benchmarks.live [FIRST_SEED] [SEEDS]

Every scenario is logged on the stand-in's bus, and heard in twentieths of a second of its own time.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from basso.alarm.session import LiveSession
from basso.analysis import analyse
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.formats.replayed_bus import ReplayedBus
from basso.pressure.options import JudgeOptions
from basso.standin.bus import DATABASE, BusFrame, frames_of, write_candump
from basso.standin.scenarios import SCENARIOS, generator, run

TICK_S = 0.05
NEAR_S = 0.02


def heard(frames: list[BusFrame], database: Path, judging: JudgeOptions) -> tuple[LiveSession, float]:
    """A drive heard from start to end; and the processor's time it took."""
    source = ReplayedBus([(f.at_s, f.identifier, f.data) for f in frames], database.with_suffix(".log"))
    session = LiveSession(source, database, ReadOptions(), judging, clock=source.clock)
    began = time.process_time()
    for tick in range(int(frames[-1].at_s / TICK_S) + 2):
        source.now_s = tick * TICK_S
        session.tick()
    session.close()
    return session, time.process_time() - began


def main() -> None:
    """Print a line a scenario, and all together."""
    first, seeds = (int(a) for a in (*sys.argv[1:], *("300", "2")[len(sys.argv) - 1 :]))
    offs: list[float] = []
    all_live = all_whole = all_pairs = 0
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "car.dbc"
        database.write_text(DATABASE)
        for name in SCENARIOS:
            for seed in range(first, first + seeds):
                simulated, _ = run(name, seed)
                frames = frames_of(simulated, generator("bus", seed))
                log = Path(folder) / "drive.log"
                log.write_bytes(write_candump(simulated, generator("bus", seed)))
                recording = read_recording(log, ReadOptions(database=database))
                own = analyse(recording)
                judging = JudgeOptions(normal=own.expected if own.expected.valid else None)
                whole = analyse(recording, judging)
                session, spent = heard(frames, database, judging)
                live, dips = session.judge.dips, [d.dip for d in whole.dips]
                pairs = [(a, b) for a in live for b in dips if min(a.end_s, b.end_s) > max(a.start_s, b.start_s)]
                off = [max(abs(a.start_s - b.start_s), abs(a.end_s - b.end_s)) for a, b in pairs]
                offs += off
                all_live, all_whole, all_pairs = all_live + len(live), all_whole + len(dips), all_pairs + len(pairs)
                put_right = ", ".join(sorted({c.kind for c in whole.corrections}))
                print(
                    f"{name:24} {seed}: live {len(live):3}, whole {len(dips):3}, "
                    f"within 20 ms {sum(o <= NEAR_S for o in off):3} of {len(pairs):3}, "
                    f"{spent / frames[-1].at_s:.1%} of the drive's time  {put_right}"
                )
    near = sum(o <= NEAR_S for o in offs)
    print(f"live {all_live}, whole {all_whole}, both {all_pairs}; within 20 ms {near} ({near / max(len(offs), 1):.3f})")
    print(f"apart at most {max(offs, default=0.0):.3f} s, in the middle {float(np.median(offs or [0.0])):.4f} s")


if __name__ == "__main__":
    main()
