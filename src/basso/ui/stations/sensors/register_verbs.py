"""What the register of sensors' verbs do: cards, calibrations, moves, the wiring on paper."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from basso.garage.records import Calibration, Record, Sensor, new_id
from basso.ui.dialogs import run_dialog
from basso.ui.stations.form import ask_record

if TYPE_CHECKING:
    from basso.ui.bench import Bench
    from basso.ui.stations.sensors.register import RegisterPanel

_HINTS = {
    "new sensor": "What sits where from this day on. Unknown is left empty. A column of the log is named only where "
    "more than one pressure is logged.",
    "new card": "The same sensor from this day on: moved to another place, held or wired otherwise. Logs before it "
    "keep the card they have.",
    "move": "How it sits on this car is still to be said: mount, column, wiring. Its calibrations come along.",
    "off": "It keeps its cards and calibrations, and can be put on again, here or on another car.",
}


class RegisterVerbs:
    """Acts at one bench."""

    def __init__(self, bench: Bench, panel: RegisterPanel) -> None:
        self._bench, self._panel = bench, panel
        self._model = bench.garage
        panel.verb_wanted.connect(self._act)
        panel.edited.connect(self._model.change)
        panel.looked_at.connect(self.refresh)
        self._model.changed.connect(self.refresh)
        bench.units.changed.connect(self.refresh)
        bench.sessions.shown_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the register as it is now; nothing while it is not looked at."""
        if not self._panel.isVisible():
            return
        view, garage = self._model.view, self._model.garage
        units = self._bench.shown_units
        if view is None or garage is None:
            self._panel.show_register(None, units, "", waiting=self._bench.jobs.busy and not self._model.is_open)
            return
        from basso.car.known import session_of
        from basso.ui.stations.sensors.register_picture import Register

        shown = self._bench.sessions.recording
        session = session_of(view, shown.content_hash) if shown is not None else None
        register = Register(
            view, tuple(garage.all(Sensor)), tuple(garage.all(Calibration)), {c.id: c.name for c in self._model.cars}
        )
        self._panel.show_register(register, units, session.began if session is not None else "", waiting=False)

    def _act(self, verb: str, record: Record | None) -> None:
        if verb == "garage":
            self._model.open_own()
        elif verb == "demo":
            self._bench.run("demo.open")
        elif verb == "new sensor":
            self.new_sensor()
        elif verb == "wiring":
            self._print_wiring()
        elif isinstance(record, Calibration):
            self._correct_calibration(record)
        elif isinstance(record, Sensor):
            kind, _, car = verb.partition(" ")
            if kind == "move":
                self._move(record, car)
            else:
                {
                    "new card": self._new_card,
                    "off": self._take_off,
                    "remove": self._remove,
                    "calibrate": self._calibrate,
                }[verb](record)

    def new_sensor(self, like: Sensor | None = None) -> None:
        """A sensor that is not in the register yet; ``like``: as it was planned."""
        view = self._model.view
        if view is None:
            self._bench.tell("Open the garage and choose the car first: a sensor belongs to one.")
            return
        fresh = Sensor(car=view.car.id, name="Gallery sensor", since=date.today().isoformat())
        if like is not None:
            fresh = replace(like, id=fresh.id, sensor=fresh.sensor, car=view.car.id, since=fresh.since)
        self._add("New sensor", "new sensor", fresh, "adding")

    def _new_card(self, card: Sensor) -> None:
        fresh = replace(card, id=new_id(), since=date.today().isoformat(), reason="", fitted=True, note="")
        self._add("New card of a sensor", "new card", fresh, "a new card of")

    def _take_off(self, card: Sensor) -> None:
        fresh = replace(card, id=new_id(), since=date.today().isoformat(), reason="", fitted=False, note="")
        self._add(f"Take {card.name} off", "off", fresh, "taking off")

    def _add(self, title: str, hint: str, fresh: Sensor, label: str) -> None:
        card = ask_record(self._bench, title, _HINTS[hint], fresh)
        view = self._model.view
        if not isinstance(card, Sensor) or view is None:
            return
        same = next((c for c in view.sensors if c.sensor == card.sensor and c.since[:10] == card.since[:10]), None)
        if same is not None:
            self._bench.tell(f"{card.name} has a card of {card.since or 'the beginning'} already: correct that one.")
        elif self._model.add(f"{label} {card.name}", card):
            self._panel.choose(card.id)

    def _move(self, card: Sensor, car: str) -> None:
        from basso.car.sensors import moved
        from basso.garage.store import Change

        off, on = moved(card, car, date.today().isoformat())
        name = next((c.name for c in self._model.cars if c.id == car), "the other car")
        asked = ask_record(self._bench, f"{card.name} to {name}", _HINTS["move"], on)
        if isinstance(asked, Sensor):
            off = replace(off, since=asked.since)
            self._model.edit(f"moving {card.name} to {name}", Change(None, off), Change(None, asked))

    def _remove(self, card: Sensor) -> None:
        view, garage = self._model.view, self._model.garage
        if view is None or garage is None:
            return
        others = [c for c in garage.all(Sensor) if c.sensor == card.sensor and c.id != card.id]
        own = [c for c in view.calibrations if c.sensor == card.sensor] if not others else []
        self._model.remove(f"removing {'a card of ' if others else ''}{card.name}", card, *own)

    def _calibrate(self, card: Sensor) -> None:
        fresh = Calibration(car=card.car, sensor=card.sensor, day=date.today().isoformat())
        if (made := self._asked_points(card, fresh, removable=False)) is not None:
            self._model.add(f"calibrating {card.name}", made)

    def _correct_calibration(self, calibration: Calibration) -> None:
        card = self._panel.card
        if card is not None and (made := self._asked_points(card, calibration, removable=True)) is not None:
            self._model.change(f"correcting a calibration of {card.name}", calibration, made)

    def _asked_points(self, card: Sensor, before: Calibration, removable: bool) -> Calibration | None:
        from basso.ui.stations.sensors.calibration_dialog import CalibrationDialog

        bench = self._bench
        dialog = CalibrationDialog(bench.window, bench.look, card, before, bench.shown_units, removable)
        outcome = run_dialog(dialog)
        if outcome == CalibrationDialog.REMOVED:
            self._model.remove(f"removing a calibration of {card.name}", before)
            return None
        return dialog.calibration if outcome else None

    def _print_wiring(self) -> None:
        from basso.report.sensor_documents import wiring_html

        register = self._panel.register
        if register is not None:
            words = wiring_html(register.history.car, register.fitted(self._panel.day), self._bench.shown_units)
            self._bench.files.print_words(words, "sensor-wiring", "Print the wiring to a file")
