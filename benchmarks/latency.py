"""From bus to screen: how long after a frame is sent the window has painted it. ``python -m benchmarks.latency``.

Eight channels fifty times a second on a bus inside the process; two hundred changes of pressure at random moments.
"""

from __future__ import annotations

import os
import tempfile
import threading
import time
from pathlib import Path

import numpy as np

CHANGES = 200


def main() -> None:
    """Print median, 95th percentile and worst, ms."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    import can
    from PySide6.QtCore import QSettings
    from PySide6.QtWidgets import QApplication

    from basso.standin.bus import DATABASE
    from basso.ui.live.listen_dialog import Listening
    from basso.ui.models.settings import Settings
    from basso.ui.theme.look import Look
    from basso.ui.window.main_window import MainWindow

    application = QApplication([])
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_STATE_HOME"] = name
        (folder / "car.dbc").write_text(DATABASE)
        window = MainWindow(Look(application), Settings(QSettings(f"{name}/s.ini", QSettings.Format.IniFormat)))
        window.show()
        live = window.desk.live
        live.hear(Listening("virtual", "latency", folder / "car.dbc", folder / "out", None, None), None, None)
        shown = live.window
        assert shown is not None
        sent: list[tuple[float, float]] = []
        stop, rng = threading.Event(), np.random.default_rng(5)

        def send() -> None:
            bus = can.Bus("latency", interface="virtual")
            kpa, changed = 200.0, 0
            due = time.monotonic() + float(rng.uniform(0.1, 0.2))
            while not stop.wait(0.02):
                if time.monotonic() >= due and changed < CHANGES:
                    kpa, changed = 200.0 + changed % 150, changed + 1
                    due = time.monotonic() + float(rng.uniform(0.15, 0.25))
                    sent.append((kpa, time.monotonic()))
                engine = (16000).to_bytes(2, "little") + round(kpa * 10 + 1000).to_bytes(2, "little") + bytes(4)
                for identifier, data in ((0x640, engine), (0x641, bytes(8)), (0x642, bytes(8))):
                    bus.send(can.Message(arbitration_id=identifier, data=data, is_extended_id=False))
            bus.shutdown()

        thread = threading.Thread(target=send)
        thread.start()
        late: list[float] = []
        end = time.monotonic() + 90.0
        while len(late) < CHANGES - 5 and time.monotonic() < end:
            application.processEvents()
            r = shown.board.reading
            if sent and r is not None and r.pressure_kpa is not None and len(late) < len(sent):
                kpa, at = sent[len(late)]
                if abs(r.pressure_kpa - kpa) < 0.06:
                    shown.board.repaint()
                    late.append(time.monotonic() - at)
                elif len(sent) > len(late) + 1 and abs(r.pressure_kpa - sent[-1][0]) < 0.06:
                    late.append(float("nan"))  # passed over: two changes in one look
            time.sleep(0.001)
        stop.set()
        thread.join()
        live.end()
        known = 1000.0 * np.array([x for x in late[20:] if np.isfinite(x)])  # the first second: roles are learned
        print(
            f"{known.size} changes: median {np.median(known):.0f} ms, 95 % {np.percentile(known, 95):.0f} ms, "
            f"worst {known.max():.0f} ms"
        )


if __name__ == "__main__":
    main()
