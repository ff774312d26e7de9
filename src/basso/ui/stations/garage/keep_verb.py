"""Keeping the log shown with a car of the garage."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.recording.facts import fact
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog

if TYPE_CHECKING:
    from basso.recording.recording import Recording


class KeepVerb:
    """Places the log shown with a car of the garage."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._wanted = False
        bench.garage.changed.connect(self._go_on)

    def wanted(self) -> bool:
        """True where the log shown can be judged and no car has it."""
        a, garage = self._bench.sessions.analysis, self._bench.garage
        return a is not None and a.judgeable and garage.session_of(a.recording) is None

    def keep(self) -> None:
        """Ask where the log shown belongs, and keep it there; the garage is opened first where it is not."""
        if not self.wanted():
            return
        if not self._bench.garage.is_open:
            self._wanted = True
            self._bench.garage.open_own()
            return
        self._ask()

    def _go_on(self) -> None:
        if self._wanted and self._bench.garage.is_open:
            self._wanted = False
            self._ask()

    def _ask(self) -> None:
        from basso.car.history import car_history
        from basso.car.sessions import placed
        from basso.ui.stations.garage.keep_dialog import KeepDialog

        bench, model = self._bench, self._bench.garage
        a, shown, garage = bench.sessions.analysis, bench.sessions.shown, model.garage
        if a is None or shown is None or garage is None or not self.wanted():
            return
        cars = [model.view if model.view and model.view.car == c else car_history(garage, c) for c in model.cars]
        cars.sort(key=lambda c: c is not model.view)  # the car shown first
        day = shown.day or date.today().isoformat()
        dialog = KeepDialog(bench.window, bench.look, bench.shown_units, cars, shown.title, day)
        dialog.circuit.setText(shown.circuit or fact(a.recording.facts, "circuit"))
        if not run_dialog(dialog):
            return
        known, where = dialog.known, dialog.placing
        if known is not None:
            model.choose(known.car.id)
        if model.add(f"keeping {shown.title} with {where.car}", *placed(a, where, shown.title, known)):
            keep_samples(bench, a.recording)


def keep_samples(bench: Bench, recording: Recording) -> None:
    """Keep a log's samples in the garage's own files, in the background."""
    garage = bench.garage.garage
    if garage is None:
        return

    def work(_: Progress) -> None:
        from basso.formats.write import recording_bytes

        garage.files.keep_samples(recording.content_hash, recording_bytes(recording, ".parquet", {}))

    bench.jobs.start("samples", f"keeping {recording.path.name}", work, lambda _: None, bench.tell)
