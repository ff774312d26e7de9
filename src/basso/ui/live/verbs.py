"""What is done live: listen to a bus, to the simulated car, or watch a folder; what is left is a log like any other."""

from __future__ import annotations

import tempfile
import threading
from collections.abc import Callable
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.stations.station import Command

if TYPE_CHECKING:
    from basso.alarm.rules import AlarmRule
    from basso.alarm.session import LiveSession
    from basso.normal.expected import ExpectedPressure
    from basso.ui.live.listen_dialog import Listening
    from basso.ui.live.window import LiveWindow
    from basso.ui.models.folder_watch import FolderWatch
    from basso.ui.models.live_feed import LiveFeed

_DEMO_CHANNEL, _DEMO_SCENARIO, _DEMO_SEED = "basso-standin", "baseline-1", 31


class LiveVerbs:
    """Acts at one bench.

    Attributes:
        window: the live window while there is one.
        watch: the folder that is watched, if one is.
    """

    def __init__(self, bench: Bench, show_run_sheet: Callable[[], None]) -> None:
        """``show_run_sheet``: of the session shown."""
        self._bench, self._run_sheet = bench, show_run_sheet
        self.window: LiveWindow | None = None
        self.watch: FolderWatch | None = None
        self._sender: tuple[threading.Thread, threading.Event] | None = None
        self._kept: Path | None = None
        self._fresh: Path | None = None
        # The sheet first: what goes into the garage has the log judged once more, and the sheet follows that.
        bench.sessions.shown_changed.connect(self._show_run_sheet)
        bench.sessions.shown_changed.connect(self._put_into_garage)

    def commands(self) -> tuple[Command, ...]:
        """Every way to hear a drive as it runs."""
        return (
            Command(
                "live.listen",
                "Session",
                "Listen to a bus…",
                self.listen,
                ("Ctrl+B",),
                "a drive judged and recorded as it runs, for the pit wall",
                self._is_free,
            ),
            Command(
                "live.demo",
                "Session",
                "Listen to the simulated car",
                self.listen_to_standin,
                (),
                "the car that ships with Basso drives on a bus of its own",
                self._is_free,
            ),
            Command(
                "live.watch",
                "Session",
                "Watch a folder…",
                self.watch_folder,
                (),
                "a log that appears in it is opened, judged and shown; choose again to stop",
            ),
        )

    def _is_free(self) -> bool:
        return self.window is None

    # A bus

    def listen(self) -> None:
        """Ask which bus, and hear it."""
        from basso.ui.live.listen_dialog import ListenDialog

        if self.window is not None:
            self.window.activateWindow()
            return
        bench = self._bench
        normals, alarms = self._normals(), self._alarms()
        dialog = ListenDialog(
            bench.window,
            bench.look,
            bench.files,
            bench.settings.bus,
            [words for words, _ in normals],
            [words for words, _ in alarms],
        )
        if not run_dialog(dialog):
            return
        chosen = dialog.listening
        bench.settings.bus = (chosen.interface, chosen.channel, str(chosen.database), str(chosen.folder))
        self.hear(
            chosen,
            normals[chosen.normal][1] if chosen.normal is not None else None,
            alarms[chosen.alarm][1] if chosen.alarm is not None else None,
        )

    def listen_to_standin(self) -> None:
        """Send the simulated car's drive on a bus inside Basso, and hear it."""
        import can

        from basso.formats.live_bus import open_bus
        from basso.standin.bus import DATABASE, frames_of
        from basso.standin.scenarios import generator, run
        from basso.standin.stream import send_frames
        from basso.ui.live.listen_dialog import Listening

        folder = Path(tempfile.mkdtemp(prefix="basso-live-"))
        database = folder / "standin.dbc"
        database.write_text(DATABASE, encoding="utf-8")
        stop = threading.Event()

        def send() -> None:
            frames = frames_of(run(_DEMO_SCENARIO, _DEMO_SEED)[0], generator("bus", _DEMO_SEED))
            bus = open_bus("virtual", _DEMO_CHANNEL)
            try:
                send_frames(bus, frames, stop=stop)
            except can.CanError:
                return  # nobody listens any more
            finally:
                bus.shutdown()

        thread = threading.Thread(target=send, name="basso stand-in", daemon=True)
        self._sender = thread, stop
        normals, alarms = self._normals(), self._alarms()
        chosen = Listening("virtual", _DEMO_CHANNEL, database, folder, None, None)
        self.hear(chosen, normals[0][1] if normals else None, alarms[0][1] if alarms else None)
        if self.window is not None:
            thread.start()

    def hear(self, chosen: Listening, normal: ExpectedPressure | None, rule: AlarmRule | None) -> None:
        """Open the live window on a bus."""
        from basso.ui.models.live_feed import LiveFeed

        bench = self._bench
        floors = bench.judging.floors

        def make() -> LiveSession:
            from basso.alarm.session import LiveSession
            from basso.formats.database import load_database
            from basso.formats.live_bus import LiveBus
            from basso.formats.options import ReadOptions
            from basso.pressure.options import JudgeOptions
            from basso.workflow import with_memory

            load_database(chosen.database)  # what cannot be used is told before anything is opened
            bus = LiveBus(chosen.interface, chosen.channel, chosen.database, chosen.folder)
            reading = with_memory(ReadOptions(database=chosen.database), bench.memory)
            judging = JudgeOptions(floors=floors, normal=normal)
            return LiveSession(bus, chosen.database, reading, judging, rule)

        self.show(LiveFeed(make), f"{chosen.interface} {chosen.channel}")
        if self.window is not None:
            self.window.feed.start()

    def show(self, feed: LiveFeed, bus: str) -> None:
        """Open the live window on what a feed will tell. ``bus``: in words."""
        from basso.ui.live.window import LiveWindow

        bench = self._bench
        a, view = bench.sessions.analysis, bench.garage.view
        places = a.track.places if a is not None and a.track is not None else ()
        build = max(view.builds, key=lambda b: b.since, default=None) if view is not None else None
        parts = [view.car.name if view is not None else "", build.name if build is not None else ""]
        parts.append(f"live from {bus}")
        crumbs = " › ".join(p for p in parts if p)
        window = LiveWindow(bench.look, bench.units, feed, crumbs, places, bench.pan.pan)
        window.left.connect(self._ended)
        self.window = window
        window.show()

    def _normals(self) -> list[tuple[str, ExpectedPressure]]:
        """What the drive may be held to: the newest build's saved normal, the log shown's own."""
        from basso.car.normals import curve_of, versions

        found = []
        view, a = self._bench.garage.view, self._bench.sessions.analysis
        build = max(view.builds, key=lambda b: b.since, default=None) if view is not None else None
        if view is not None and build is not None and view.arrival is None:
            kept = versions(view, build.id)
            curve = curve_of(kept[-1]) if kept else None
            if curve is not None:
                found.append((f"saved normal of {build.name}, {kept[-1].day}", curve))
        entry = self._bench.sessions.shown
        if a is not None and a.expected.valid and entry is not None:
            found.append((f"normal of {entry.title}", a.expected))
        return found

    def _alarms(self) -> list[tuple[str, AlarmRule]]:
        """The newest build's kept alarm, then those of the others."""
        from basso.car.alarms import alarm_of, alarm_record

        view = self._bench.garage.view
        found = []
        for build in sorted(view.builds, key=lambda b: b.since, reverse=True) if view is not None else ():
            assert view is not None
            card, record = alarm_of(view, build), alarm_record(view, build)
            if card is not None and record is not None:
                found.append((f"{record.name} ({build.name})", card.rule))
        return found

    # The end

    def end(self) -> None:
        """The window is closing: what runs ends, and what was received stays on disk."""
        if self.watch is not None:
            self.watch.stop()
        if self.window is not None:
            self.window.feed.stop()
            self.window.feed.wait(5.0)
            self.window.finish()
            self.window = None
        self._stop_sender()

    def _stop_sender(self) -> None:
        if self._sender is not None:
            self._sender[1].set()
            self._sender = None

    def _ended(self, path: Path | None, why: str) -> None:
        self.window = None
        is_standin = self._sender is not None
        self._stop_sender()
        if why:
            self._bench.tell(why)
        if path is None or not path.exists():
            return
        self._kept = None if is_standin else path
        self._open(path)

    def _open(self, path: Path) -> None:
        """A log that has just come in: judged, and the run sheet is what is seen first."""
        self._fresh = path
        self._bench.sessions.open_logs([path])

    def _show_run_sheet(self) -> None:
        a = self._bench.sessions.analysis
        if a is not None and a.recording.path == self._fresh:
            self._fresh = None
            self._run_sheet()

    def _put_into_garage(self) -> None:
        """The drive that has just ended stands in the garage once it is judged; undo takes it out again."""
        from basso.car.sessions import fresh_session

        path, a, view = self._kept, self._bench.sessions.analysis, self._bench.garage.view
        if path is None or a is None or a.recording.path != path:
            return
        self._kept = None
        if view is None or view.arrival is not None or not view.builds:
            return
        if any(s.log_hash == a.recording.content_hash for s in view.sessions):
            return
        build = max(view.builds, key=lambda b: b.since)
        title = f"Live {datetime.fromtimestamp(path.stat().st_mtime):%H:%M}"
        fresh = fresh_session(a, car=view.car.id, build=build.id, title=title, day=date.today().isoformat())
        self._bench.garage.add(f"adding {title}", fresh)

    # A folder

    def watch_folder(self) -> None:
        """Watch a folder, or stop watching it."""
        from basso.ui.models.folder_watch import FolderWatch

        if self.watch is not None:
            folder = self.watch.folder
            self.watch.stop()
            self.watch = None
            self._bench.tell(f"{folder} is watched no more.")
            return
        chosen = self._bench.files.ask_folder("Watch a folder")
        if chosen is None:
            return
        self.watch = FolderWatch(chosen)
        self.watch.came.connect(self._open)
        self.watch.lost.connect(self._bench.tell)
        self._bench.tell(
            f"{chosen} is watched: a log that appears in it is opened and judged, and its run sheet is shown."
        )
