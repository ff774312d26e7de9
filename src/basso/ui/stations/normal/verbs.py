"""What is kept of normal: a build's normal, learned from its sessions together, and the oils' data sheets."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog

if TYPE_CHECKING:
    from basso.car.normals import Learned
    from basso.garage.records import OilSheet


class NormalVerbs:
    """Acts at one bench. ``learned`` hears what was kept, ``oils_changed`` that oils of no car are others."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self.own_oils: tuple[OilSheet, ...] = ()
        """Of logs that belong to no car: until Basso is closed."""
        self.learned: Callable[[str], None] = lambda _: None
        self.oils_changed: Callable[[], None] = lambda: None

    def edit_oils(self) -> None:
        """Data sheets and ceilings."""
        from basso.garage.store import Change
        from basso.ui.stations.normal.oils_dialog import OilsDialog

        bench = self._bench
        view = bench.garage.car_of(bench.sessions.recording)
        before = view.oil_sheets if view is not None else self.own_oils
        car, name = (view.car.id, view.car.name) if view is not None else ("none", "")
        dialog = OilsDialog(bench.window, bench.look, car, before, bench.shown_units, name)
        if not run_dialog(dialog):
            return
        if view is None:
            self.own_oils = dialog.sheets
            self.oils_changed()
            return
        old, new = {s.id: s for s in before}, {s.id: s for s in dialog.sheets}
        changes = [Change(old.get(i), new.get(i)) for i in {**old, **new} if old.get(i) != new.get(i)]
        if changes:
            bench.garage.edit("the oils' data sheets", *changes)

    def keep_normal(self) -> None:
        """Learn the normal of the build shown from its sessions together, and keep it as a new version."""
        from basso.car.normals import learn_build, sessions_to_learn_from, versions
        from basso.ui.stations.normal.keep_dialog import KeepNormalDialog

        bench = self._bench
        view, session = bench.garage.view, bench.garage.session_of(bench.sessions.recording)
        build = view.build_of(session) if view is not None and session is not None else None
        if view is None or build is None:
            bench.tell(
                "A normal is kept with a build: put this log's session into the garage first (Garage, New session)."
            )
            return
        good, out = sessions_to_learn_from(view, build.id)
        if not good:
            bench.tell(
                f"{build.name} has no session to learn from: " + "; ".join(f"{t}: {why}" for t, why in out) + "."
            )
            return
        version = len(versions(view, build.id)) + 1
        dialog = KeepNormalDialog(bench.window, bench.look, view.names.build[build.id], good, out, version)
        if not run_dialog(dialog):
            return
        log_of, chosen, reason = bench.garage.log_reader(bench.sessions.entries), dialog.chosen, dialog.reason
        decisions = bench.memory.decisions

        def work(progress: Progress) -> Learned:
            today = date.today().isoformat()
            return learn_build(
                history=view,
                build=build,
                log_of=log_of,
                decisions=decisions,
                day=today,
                reason=reason,
                only=chosen,
                progress=progress,
            )

        bench.jobs.start("learn", f"learning the normal of {build.name}", work, self._keep, bench.tell)

    def correct_normal(self, title: str) -> None:
        """Correct or remove a kept normal, by what it is called."""
        from basso.car.normals import title_of
        from basso.ui.stations.form import correct_record

        bench = self._bench
        view = bench.garage.car_of(bench.sessions.recording)
        found = next((n for n in view.normals if title_of(view, n) == title), None) if view is not None else None
        if found is not None:
            correct_record(bench, found)

    def _keep(self, learned: Learned) -> None:
        garage = self._bench.garage
        if learned.record is None:
            left = "".join(f" {title}: {why}." for title, why in learned.left_out)
            self._bench.tell(f"No normal could be learned: {learned.expected.reason}.{left}")
            return
        if not garage.add("the build's normal", learned.record):
            return
        from basso.car.normals import title_of
        from basso.report.garage_documents import normal_text

        view, record = garage.view, learned.record
        build = next((b for b in view.builds if b.id == record.build), None) if view is not None else None
        kept = next((n for n in view.normals if n.id == record.id), None) if view is not None else None
        if view is not None and build is not None and kept is not None:
            self.learned(normal_text(view, build, learned, title_of(view, kept), self._bench.shown_units))
