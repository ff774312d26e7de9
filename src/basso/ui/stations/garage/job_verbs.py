"""What is done with jobs: begun, their measured steps worked out, the sheet filled from the log; and the symptoms
asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from basso.car.jobs import begun
from basso.garage.records import Attachment, Job, Record
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.oilway.priming import Priming
    from basso.recording.recording import Recording


class JobVerbs:
    """Acts at one bench. ``begun_job`` hears the id of a job that was begun; ``chosen`` gives the record that is
    chosen."""

    def __init__(self, bench: Bench, begun_job: Callable[[str], None], chosen: Callable[[], Record | None]) -> None:
        self._bench, self._model = bench, bench.garage
        self.begun_job, self.chosen = begun_job, chosen

    def begin(self, sheet: str) -> None:
        """Begin a job by its sheet."""
        from basso.ui.stations.garage.sheet_picture import job_title

        view = self._model.view
        if view is None:
            return
        now = view.newest_build
        job = Job(
            car=view.car.id,
            build=now.id if now else "",
            sheet=sheet,
            opened=date.today().isoformat(),
            begun_on=begun(sheet, view.engine, now),
        )
        if self._model.add(f"beginning {job_title(job)}", job):
            self.begun_job(job.id)

    def prime(self, record: Record) -> None:
        """Fill the priming of a job in from the log that is shown; with no cranking in it, by stopwatch."""
        from basso.car.jobs import PRIMING_STEP, START_STEP, Entered, earlier_primings, sheet_of
        from basso.oilway.priming import find_priming, priming_words
        from basso.recording.corrections import apply

        view, a = self._model.view, self._bench.sessions.analysis
        recording = self._bench.sessions.recording
        if a is not None:
            # A sensor that reads an atmosphere high would show pressure before there is any.
            recording = apply(a.recording, [a.zero] if a.zero is not None else [])
        if view is None or not isinstance(record, Job):
            return
        priming = find_priming(recording) if recording is not None else None
        earlier = earlier_primings(view.jobs, record)
        sheet = sheet_of(record)
        with_start = sheet is not None and any(s.key == START_STEP for s in sheet.steps)
        if priming is not None and recording is not None:
            off_the_log = self._asked_about_log(record, recording, priming, with_start)
            if off_the_log is None:
                return
            if not off_the_log:
                priming = None
        by_log = priming is not None
        if priming is None:
            from basso.ui.stations.garage.stopwatch_dialog import StopwatchDialog

            dialog = StopwatchDialog(self._bench.window, self._bench.look, earlier)
            priming = dialog.priming if run_dialog(dialog) else None
            if priming is None:
                return
        source = f" Off the log {recording.path.name}." if by_log and recording is not None else ""
        words = priming_words(priming, earlier) + source
        got = Entered(done=priming.first_s is not None, value=priming.first_s, words=words)
        entries = {**record.entries, PRIMING_STEP: got.as_plain()}
        after_3_s = next((kpa for s, kpa in priming.after_start if s == 3.0), None)
        if by_log and with_start and after_3_s is not None:
            start = Entered(done=True, value=round(after_3_s, 1), words=source.strip())
            entries = {**entries, START_STEP: start.as_plain()}
        self._model.change("the priming off the log", record, replace(record, entries=entries))

    def _asked_about_log(self, job: Job, recording: Recording, priming: Priming, with_start: bool) -> bool | None:
        """Whether the priming is read off the log that is shown: True, False (by stopwatch), or None: nothing is done.

        The log may have nothing to do with the job, so what would be read off which log is said before anything is
        written.
        """
        from basso.car.jobs import PRIMING_STEP, START_STEP
        from basso.ui.dialogs import ChoiceDialog

        units = self._bench.shown_units
        when = f", begun {recording.started.replace('T', ' ')[:16]}" if recording.started else ""
        first = (
            f"{priming.first_s:.1f} s of cranking until pressure"
            if priming.first_s is not None
            else "no pressure while cranking"
        )
        after_3_s = next((kpa for s, kpa in priming.after_start if s == 3.0), None)
        start = (
            f", {units.text(after_3_s, Quantity.PRESSURE)} 3 s after the start"
            if with_start and after_3_s is not None
            else ""
        )
        kept = [
            k
            for k in (PRIMING_STEP, START_STEP)
            if isinstance(e := job.entries.get(k), dict) and e.get("value") is not None
        ]
        replaced = " What was entered before is replaced." if kept else ""
        dialog = ChoiceDialog(
            self._bench.window,
            self._bench.look,
            "Is this the log of this job?",
            f"{recording.path.name}{when}: {first}{start}.{replaced}",
            ("Read it off this log", "By stopwatch…"),
        )
        if not run_dialog(dialog) or dialog.chosen is None:
            return None
        return dialog.chosen == 0

    def hold(self, record: Record) -> None:
        """Work the hold test of an accumulator job out."""
        from basso.car.jobs import HOLD_STEP, Entered
        from basso.ui.stations.garage.hold_dialog import HoldDialog

        dialog = HoldDialog(self._bench.window, self._bench.look, self._bench.shown_units)
        if isinstance(record, Job) and run_dialog(dialog) and dialog.held is not None:
            got = Entered(done=True, value=round(dialog.held.lost_kpa, 1), words=dialog.said.text())
            after = replace(record, entries={**record.entries, HOLD_STEP: got.as_plain()})
            self._model.change("the hold test", record, after)

    def new_on_build(self, record: Record) -> None:
        """Write down, off the build line, what was new on the build a job is about."""
        from basso.car.jobs import NEW_STEP, Entered
        from basso.ui.stations.garage.sheet_picture import new_on

        view = self._model.view
        if view is not None and isinstance(record, Job):
            got = Entered(done=True, words=new_on(view, record, self._bench.shown_units))
            after = replace(record, entries={**record.entries, NEW_STEP: got.as_plain()})
            self._model.change("what was new", record, after)

    def ask_symptoms(self) -> None:
        """The symptom interview; its outcome may be kept as a note on a build."""
        from basso.ui.stations.garage.symptoms_dialog import SymptomsDialog

        view, about = self._model.view, self.chosen()
        dialog = SymptomsDialog(self._bench.window, self._bench.look, about is not None)
        if run_dialog(dialog) and view is not None and about is not None:
            made = Attachment(car=view.car.id, about=about.id, day=date.today().isoformat(), text=dialog.note)
            self._model.add("the symptoms", made)
