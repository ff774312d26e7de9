"""The one table of commands: menus, shortcuts, command search and the help page are all made from it. (No Qt.)"""

from __future__ import annotations

from dataclasses import dataclass

from basso.ui.stations.catalogue import STATIONS


@dataclass(frozen=True, slots=True)
class Command:
    """Something a user can do.

    Attributes:
        key: stable name; the window binds its handler to it.
        group: the menu it stands in.
        title: what it is called everywhere.
        shortcut: key sequences, the first shown.
        hint: one more line for the help page.
    """

    key: str
    group: str
    title: str
    shortcut: tuple[str, ...] = ()
    hint: str = ""


def _stations() -> tuple[Command, ...]:
    return tuple(
        Command(f"station.{s.key}", "Go", s.title, (f"Alt+{(i + 1) % 10}",), s.purpose) for i, s in enumerate(STATIONS)
    )


COMMANDS: tuple[Command, ...] = (
    Command("log.open", "Session", "Add logs…", ("Ctrl+O",), "or drop them, or a folder, on the window"),
    Command("log.folder", "Session", "Add a folder…", ("Ctrl+Shift+O",), "every log in it and below"),
    Command("log.gauge", "Session", "Gauge readings…", ("Ctrl+G",), "by hand, for a car without a logger"),
    Command("session.pick", "Session", "Choose a session…", ("Ctrl+P",), "every log that is open"),
    Command("demo.open", "Session", "Open the demo data", (), "an invented team, circuit and season"),
    Command(
        "log.write", "Session", "Write this log…", ("Ctrl+S",), "as CSV or Parquet, raw or corrected, whole or in part"
    ),
    Command(
        "list.export", "Session", "Export the list…", ("Ctrl+E",), "the logs, the dips or the trial's places, as CSV"
    ),
    Command(
        "analysis.export",
        "Session",
        "Export the analysis…",
        ("Ctrl+Shift+S",),
        "as a spreadsheet, JSON, or CSV of the dips",
    ),
    Command("picture.export", "Session", "Export this view as a picture…", ("Ctrl+Shift+E",)),
    Command("window.close", "Session", "Quit", ("Ctrl+Q",)),
    Command("edit.undo", "Edit", "Undo", ("Ctrl+Z",)),
    Command("edit.redo", "Edit", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y")),
    Command(
        "edit.copy",
        "Edit",
        "Copy",
        ("Ctrl+C",),
        "the log list, the selected dips or the trial, with headings and units",
    ),
    Command(
        "garage.history",
        "Edit",
        "What was done in the garage…",
        ("Ctrl+H",),
        "every edit of this and earlier days, to be taken back or made again",
    ),
    Command(
        "judge.floors",
        "Judge",
        "Floors…",
        ("Ctrl+L",),
        "which schools of floor apply, the highest wins; your own lines; kept with the car, with the reason",
    ),
    Command(
        "judge.normal",
        "Judge",
        "Keep a normal…",
        ("Ctrl+Shift+N",),
        "of this build, learned from its sessions together; later ones are laid over it",
    ),
    Command("judge.oils", "Judge", "Oils…", ("Ctrl+Shift+K",), "data sheets, and up to which temperature each is used"),
    Command(
        "judge.rule",
        "Judge",
        "Decide…",
        ("Ctrl+Shift+G",),
        "what the owner does after this session, and why; kept with what it showed",
    ),
    Command(
        "circuit.name",
        "Judge",
        "Name place…",
        ("Ctrl+Shift+P",),
        "what the team calls the chosen corner, in every session here",
    ),
    Command(
        "circuit.keep",
        "Judge",
        "Keep map",
        ("Ctrl+Shift+M",),
        "one map of all sessions driven here: corners keep their numbers and names",
    ),
    Command(
        "circuit.line", "Judge", "Set lap line…", ("Ctrl+Shift+T",), "two clicks across the circuit: laps begin there"
    ),
    Command(
        "judge.readings",
        "Judge",
        "Can the readings be believed?",
        ("Ctrl+Shift+L",),
        "checks, corrections to accept or refuse, what was assumed",
    ),
    Command(
        "sensors.register",
        "Judge",
        "Register of sensors",
        ("Ctrl+Shift+R",),
        "what sits where, calibrated and wired how",
    ),
    Command(
        "sensors.drops",
        "Judge",
        "Drops along the oil's way",
        ("Ctrl+Shift+D",),
        "what cooler and filter take, and the relief valve",
    ),
    Command(
        "sensors.fit",
        "Judge",
        "Fit a sensor",
        ("Ctrl+Shift+F",),
        "the shortest sound chain of parts from port to sensor",
    ),
    Command(
        "judge.again",
        "Judge",
        "Go on",
        ("F5",),
        "take up again what was stopped or failed: reading, judging, comparing",
    ),
    Command(
        "judge.confirm",
        "Judge",
        "Confirm columns",
        ("Ctrl+Return",),
        "take the columns that look like what is missing for it, in every log with these columns",
    ),
    Command("judge.columns", "Judge", "Columns", ("Ctrl+M",), "which column of the log is what, and in which unit"),
    Command(
        "judge.working",
        "Judge",
        "Show working",
        ("F2",),
        "how the numbers shown came about: the selected dip's, or normal's",
    ),
    Command(
        "garage.symptoms",
        "Judge",
        "Symptoms…",
        ("Ctrl+I",),
        "a few questions, ranked causes, the cheapest test of each",
    ),
    *_stations(),
    Command("dip.next", "Go", "Next dip", ("N", "Ctrl+Down")),
    Command("dip.previous", "Go", "Previous dip", ("P", "Ctrl+Up")),
    Command(
        "dip.one",
        "Go",
        "One dip by itself",
        ("D",),
        "the seconds before and after, other laps behind it, what speaks for each cause",
    ),
    Command("dip.traces", "Go", "Dips in their traces", ("T",)),
    Command(
        "dip.shares", "Go", "Shares of normal", ("S",), "how much of the running lay below which share, and against g"
    ),
    Command("lap.next", "Go", "Next lap", ("Ctrl+Right",)),
    Command("lap.previous", "Go", "Previous lap", ("Ctrl+Left",)),
    Command("play.toggle", "View", "Play or pause", ("Space",), "runs the cursor in real time"),
    Command("play.slower", "View", "Play slower", ("[",), "half the speed, down to a quarter"),
    Command("play.faster", "View", "Play faster", ("]",), "twice the speed, up to eight times"),
    Command("zoom.in", "View", "Zoom in", ("Ctrl++", "Ctrl+=")),
    Command("zoom.out", "View", "Zoom out", ("Ctrl+-",)),
    Command("zoom.all", "View", "Whole session", ("Ctrl+0",)),
    Command("zoom.lap", "View", "This lap", ("Ctrl+9",)),
    Command("view.pan", "View", "Fold the pan away, or back", ("F8",)),
    Command("view.night", "View", "Day or night", ("F9",)),
    Command("units.next", "View", "Next pressure unit", ("Ctrl+U",), "kPa, bar, psi; stored data stays as it is"),
    Command("search", "Help", "Find a command…", ("Ctrl+K",)),
    Command("help", "Help", "Help and shortcuts", ("F1",)),
)
BY_KEY = {c.key: c for c in COMMANDS}
GROUPS: tuple[str, ...] = tuple(dict.fromkeys(c.group for c in COMMANDS))
