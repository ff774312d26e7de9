"""How logs come into the window: opened, dropped, chosen among those that are open; and the demo."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QPoint, QTimer
from PySide6.QtWidgets import QFileDialog, QMenu

from basso.errors import InputError
from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.stations.station import Command


class LogOpener:
    """Opens logs at one bench."""

    def __init__(
        self,
        bench: Bench,
        where: Callable[[], QPoint],
        came_in: Callable[[Path], None],
        take_in: Callable[[Path], None],
    ) -> None:
        """``where``: the corner of the screen under which the menu of sessions is opened; ``came_in`` hears of a log
        that is opened by itself; ``take_in`` gets cars exported from a garage."""
        self._bench, self._where, self._come_in, self._take_in = bench, where, came_in, take_in
        self.demo_is_open = False

    def commands(self) -> tuple[Command, ...]:
        """Every way in."""
        return (
            Command(
                "log.open",
                "Session",
                "Add logs…",
                self.choose_files,
                ("Ctrl+O",),
                "or drop them, or a folder, on the window",
            ),
            Command(
                "log.folder",
                "Session",
                "Add a folder…",
                self.choose_folder,
                ("Ctrl+Shift+O",),
                "every log in it and below",
            ),
            Command(
                "session.pick", "Session", "Choose a session…", self.pick_session, ("Ctrl+P",), "every log that is open"
            ),
            Command(
                "demo.open",
                "Session",
                "Open the demo data",
                self.open_demo,
                hint="an invented team, circuit and season",
            ),
        )

    def open_logs(self, paths: Sequence[Path], come_in: bool = True) -> None:
        """Open logs and show the first; ``come_in``: they were not open when the window was last closed."""
        from basso.garage.place import is_bundle
        from basso.workflow import logs_in

        for bundle in filter(is_bundle, paths):
            self._take_in(bundle)
        paths = [p for p in paths if not is_bundle(p)]
        if not paths:
            return
        try:
            logs = logs_in(paths)
        except InputError as error:
            self._bench.tell(str(error))
            return
        self._bench.settings.folder = logs[0].parent
        if len(logs) > 1:
            self._bench.logs.activate()
        if come_in and len(logs) == 1:
            self._come_in(logs[0])
        self._bench.sessions.open_logs(logs)

    def open_demo(self) -> None:
        """Open the demo sessions, their trial and their garage."""
        from basso.ui.models.sessions import demo_entries
        from basso.workflow import demo_folder

        bench, self.demo_is_open = self._bench, True
        entries, a, b = demo_entries(demo_folder())
        bench.sessions.add(entries)
        bench.sessions.show(next(e for e in entries if e.title == a[0]))
        on_a, on_b = (tuple(e for e in entries if e.title in names) for names in (a, b))
        QTimer.singleShot(0, lambda: bench.trial.choose(on_a, on_b))
        self.after_first_sight(bench.garage.open_demo)

    def after_first_sight(self, act: Callable[[], None]) -> None:
        """Do something with the garage once the shown log has been judged and the garage's modules are loaded beside
        it."""
        bench, sessions = self._bench, self._bench.sessions

        def load(_: Progress) -> None:
            import basso.car.known
            import basso.garage.store
            import basso.ui.models.garage_facts
            import basso.ui.stations.garage.widget  # noqa: F401

        def begin() -> None:
            bench.jobs.start("loading", "opening the garage", load, lambda _: act(), bench.tell)

        def look() -> None:
            if sessions.analysis is not None or sessions.shown is None:
                sessions.shown_changed.disconnect(look)
                QTimer.singleShot(0, bench.window, begin)

        if sessions.analysis is not None or sessions.shown is None:
            begin()
        else:
            sessions.shown_changed.connect(look)

    def choose_files(self) -> None:
        """Ask for logs and open them."""
        from basso.formats.registry import LOG_SUFFIXES

        endings = " ".join(f"*{s}" for s in LOG_SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self._bench.window, "Add logs", str(self._bench.settings.folder), f"Logs ({endings});;All files (*)"
        )
        self.open_logs([Path(n) for n in names])

    def choose_folder(self) -> None:
        """Ask for a folder and open the logs in it."""
        name = QFileDialog.getExistingDirectory(
            self._bench.window, "Add a folder of logs", str(self._bench.settings.folder)
        )
        if name:
            self.open_logs([Path(name)])

    def pick_session(self) -> None:
        """Choose among the open sessions from a menu."""
        bench = self._bench
        menu = QMenu(bench.window)
        for entry in bench.sessions.entries:
            action = menu.addAction(f"{entry.title}    {entry.circuit}".rstrip())
            action.setCheckable(True)
            action.setChecked(entry == bench.sessions.shown)
            action.triggered.connect(lambda _=False, e=entry: bench.sessions.show(e))
        if bench.sessions.entries:
            menu.addSeparator()
        for command in self.commands():
            if command.key in ("log.open", "demo.open"):
                menu.addAction(command.title).triggered.connect(lambda _=False, key=command.key: bench.run(key))
        menu.exec(self._where())
        menu.deleteLater()
