"""From a recording to judged dips. Read this page first: each step is a module of its own, and gives a frozen result.

1. :mod:`~basso.analysis.trusted`: the readings are checked; what can be put right is, as a layer over the recording.
2. :mod:`~basso.analysis.located`: everything at the pressure's own sample times; laps, places, which side is left.
3. :mod:`~basso.analysis.learned`: the normal pressure, from settled running or from before; its scale held against
both.
4. :mod:`~basso.analysis.judged`: the floor, the dips below it, the cause of each, what the bearings were exposed to.
"""

from __future__ import annotations

from basso.analysis.judged import judged
from basso.analysis.learned import learned
from basso.analysis.located import located
from basso.analysis.result import Analysis, JudgedDip
from basso.analysis.trusted import Trusted, trusted
from basso.analysis.unjudged import off_a_gauge, unjudged
from basso.pressure.options import JudgeOptions
from basso.progress import Progress, silent
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.lookalikes import find_lookalikes, lookalike_check

__all__ = ["Analysis", "JudgedDip", "analyse"]


def analyse(
    recording: Recording,
    options: JudgeOptions | None = None,
    progress: Progress = silent,
    looked_at: Trusted | None = None,
) -> Analysis:
    """Judge a recording. Never raises for what the recording lacks: the checks say what could not be done.

    ``looked_at``: what the checks said of it by the same options, where they were run already.
    """
    options = options or JudgeOptions()
    progress(0.0, "checking the readings")
    if recording.manual:
        return off_a_gauge(recording, options)
    readings = looked_at or trusted(recording, options, lambda done, what: progress(0.3 * done, what))
    lookalikes = find_lookalikes(recording)
    readings = readings.with_checks(*map(lookalike_check, lookalikes))
    if not recording.has(Role.OIL_PRESSURE) or not recording.has(Role.RPM):
        return unjudged(readings, options, lookalikes)
    progress(0.3, "finding laps and places")
    drive = located(readings, options)
    progress(0.5, "learning normal")
    normal = learned(drive, options)
    progress(0.7, "finding dips")
    analysis = judged(normal, options, lookalikes, progress)
    progress(1.0, "judged")
    return analysis
