"""The commands that belong to no station: logs, undo, floors, moving about, view, help."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any, Protocol

from basso.ui.dialogs import run_dialog
from basso.ui.judging.verbs import OwnersVerbs
from basso.ui.models.player import Player
from basso.ui.stations.catalogue import STATIONS
from basso.ui.stations.station import Command
from basso.ui.theme.look import SIZES
from basso.units import UNITS

if TYPE_CHECKING:
    from basso.ui.bench import Bench
    from basso.ui.live.verbs import LiveVerbs
    from basso.ui.stations.station import Station
    from basso.ui.window.commands import CommandTable
    from basso.ui.window.exporting import Exporting
    from basso.ui.window.logs import LogOpener
    from basso.ui.window.moments import Moments
    from basso.ui.window.run_sheet import RunSheets

_PRESSURES = ("kPa", "bar", "psi")


class Desk(Protocol):
    """What these commands work on."""

    bench: Bench
    stations: dict[str, Station[Any]]
    logs: LogOpener
    live: LiveVerbs
    run_sheets: RunSheets
    exporting: Exporting
    moments: Moments
    commands: CommandTable

    @property
    def station(self) -> str:
        """Key of the station shown."""

    def go_to(self, key: str) -> None:
        """Show a station."""

    def go_on(self) -> None:
        """Take up what was stopped."""

    def run(self, key: str) -> None:
        """Run a command."""


def window_commands(desk: Desk) -> list[Command]:
    """Every row, in the order of the menus."""
    bench, logs, exporting = desk.bench, desk.logs, desk.exporting
    return [
        *logs.commands(),
        *desk.live.commands(),
        *desk.run_sheets.commands(),
        *exporting.commands(),
        Command("window.close", "Session", "Quit", bench.window.close, ("Ctrl+Q",)),
        Command("edit.undo", "Edit", "Undo", bench.undo.undo, ("Ctrl+Z",), when=bench.undo.canUndo),
        Command("edit.redo", "Edit", "Redo", bench.undo.redo, ("Ctrl+Shift+Z", "Ctrl+Y"), when=bench.undo.canRedo),
        Command(
            "edit.copy",
            "Edit",
            "Copy",
            exporting.copy,
            ("Ctrl+C",),
            "the log list, the selected dips or the trial, with headings and units",
        ),
        *OwnersVerbs(bench).commands(),
        Command(
            "judge.again",
            "Judge",
            "Go on",
            desk.go_on,
            ("F5",),
            "take up again what was stopped or failed: reading, judging, comparing",
        ),
        Command(
            "judge.working",
            "Judge",
            "Show working",
            partial(_show_working, desk),
            ("F2",),
            "how the numbers shown came about: the selected dip's, or normal's",
        ),
        *(
            Command(f"station.{s.key}", "Go", s.title, partial(desk.go_to, s.key), (f"Alt+{(i + 1) % 10}",), s.purpose)
            for i, s in enumerate(STATIONS)
        ),
        *_moving(bench),
        Command("view.pan", "View", "Fold the pan away, or back", desk.moments.fold_pan, ("F8",)),
        Command(
            "view.readings",
            "View",
            "Large readings, or the pan",
            desk.moments.turn_big,
            ("Shift+F8",),
            "the readings at the cursor alone, to be read from a step away",
        ),
        Command(
            "view.look",
            "View",
            "Day, night or sunlight",
            partial(_next_look, bench),
            ("F9",),
            "sunlight: black on white, thicker lines",
        ),
        Command("view.larger", "View", "Larger text", partial(_resize, bench, 1), ("Ctrl+Alt+=", "Ctrl+Alt++")),
        Command("view.smaller", "View", "Smaller text", partial(_resize, bench, -1), ("Ctrl+Alt+-",), "down to 90 %"),
        Command("view.standard", "View", "Text at its standard size", partial(_resize, bench, 0), ("Ctrl+Alt+0",)),
        Command(
            "units.next",
            "View",
            "Next pressure unit",
            partial(_next_unit, bench),
            ("Ctrl+U",),
            "kPa, bar, psi; stored data stays as it is",
        ),
        Command("search", "Help", "Find a command…", partial(_search, desk), ("Ctrl+K",)),
        Command("help", "Help", "Help and shortcuts", partial(_help, desk), ("F1",)),
    ]


def _moving(bench: Bench) -> list[Command]:
    cursor, player = bench.cursor, Player(bench.cursor)
    return [
        Command("lap.next", "Go", "Next lap", lambda: _step_lap(bench, 1), ("Ctrl+Right",)),
        Command("lap.previous", "Go", "Previous lap", lambda: _step_lap(bench, -1), ("Ctrl+Left",)),
        Command("play.toggle", "View", "Play or pause", player.toggle, ("Space",), "runs the cursor in real time"),
        Command(
            "play.slower",
            "View",
            "Play slower",
            lambda: player.change_speed(0.5),
            ("[",),
            "half the speed, down to a quarter",
        ),
        Command(
            "play.faster",
            "View",
            "Play faster",
            lambda: player.change_speed(2.0),
            ("]",),
            "twice the speed, up to eight times",
        ),
        Command("zoom.in", "View", "Zoom in", lambda: cursor.zoom(0.6, cursor.time_s), ("Ctrl++", "Ctrl+=")),
        Command("zoom.out", "View", "Zoom out", lambda: cursor.zoom(1 / 0.6, cursor.time_s), ("Ctrl+-",)),
        Command("zoom.all", "View", "Whole session", lambda: cursor.show(*cursor.whole), ("Ctrl+0",)),
        Command("zoom.lap", "View", "This lap", lambda: _show_lap(bench), ("Ctrl+9",)),
    ]


def _step_lap(bench: Bench, by: int) -> None:
    a, cursor = bench.sessions.analysis, bench.cursor
    if a is None or not a.laps:
        return
    at = max((i for i, lap in enumerate(a.laps) if lap.start_s <= cursor.time_s), default=0)
    lap = a.laps[min(max(at + by, 0), len(a.laps) - 1)]
    cursor.show(lap.start_s, lap.end_s)
    cursor.move_to(lap.start_s)


def _show_lap(bench: Bench) -> None:
    a, at = bench.sessions.analysis, bench.cursor.time_s
    lap = next((x for x in a.laps if x.start_s <= at <= x.end_s), None) if a is not None else None
    if lap is not None:
        bench.cursor.show(lap.start_s, lap.end_s)


def _next_look(bench: Bench) -> None:
    bench.look.turn()
    bench.settings.theme = bench.look.theme


def _resize(bench: Bench, by: int) -> None:
    """One step larger or smaller; 0: the standard size."""
    at = SIZES.index(bench.look.size) + by
    bench.look.set_size(SIZES[min(max(at, 0), len(SIZES) - 1)] if by else 100)
    bench.settings.text_size = bench.look.size


def _next_unit(bench: Bench) -> None:
    units = bench.shown_units
    now = _PRESSURES.index(units.pressure.symbol)
    bench.units.choose(replace(units, pressure=UNITS[_PRESSURES[(now + 1) % len(_PRESSURES)]]))


def _show_working(desk: Desk) -> None:
    """Of the station shown; of the dips where that has none."""
    from basso.ui.window.working_dialog import WorkingDialog

    found = desk.stations[desk.station].working() or desk.stations["dips"].working()
    if found is not None:
        run_dialog(WorkingDialog(desk.bench.window, desk.bench.look, found.title, found.steps))


def _search(desk: Desk) -> None:
    from basso.ui.window.search_dialog import SearchDialog

    rows = [c for c in desk.commands.usable() if c.key != "search"]
    dialog = SearchDialog(desk.bench.window, desk.bench.look, rows)
    if run_dialog(dialog) and dialog.chosen is not None:
        desk.run(dialog.chosen.key)


def _help(desk: Desk) -> None:
    from basso.ui.window.help_dialog import HelpDialog

    run_dialog(HelpDialog(desk.bench.window, desk.bench.look, desk.commands.rows, desk.station))
