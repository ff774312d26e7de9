"""The second step: everything at the pressure's own sample times, where the drive went, and which side is left."""

from __future__ import annotations

from dataclasses import dataclass, replace

from basso.analysis.trusted import Trusted
from basso.pressure.options import JudgeOptions
from basso.recording.corrections import Correction
from basso.recording.recording import Frame, frame_on
from basso.recording.roles import Role
from basso.track.corners import TrackMap
from basso.track.laps import Lap
from basso.track.located import locate
from basso.track.runs import Run
from basso.trust.axes import lateral_from_path_g, longitudinal_from_speed_g
from basso.trust.side import SIDE_CHECK, Side, side_of
from basso.trust.verdict import Check
from basso.units import FloatArray


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Located:
    """A drive on its circuit.

    Attributes:
        frame: every channel at the pressure's times, which are never smoothed.
        lateral_g, longitudinal_g: as logged, or worked out from path and speed; None where neither is possible.
        side: whether it is proven which side is left.
    """

    readings: Trusted
    frame: Frame
    lateral_g: FloatArray | None
    longitudinal_g: FloatArray | None
    laps: tuple[Lap, ...]
    runs: tuple[Run, ...]
    track: TrackMap | None
    side: Side


def located(readings: Trusted, options: JudgeOptions) -> Located:
    """Where a recording with oil pressure was driven. A map of the circuit may prove its side, or turn its lateral g
    over."""
    frame = frame_on(readings.corrected, Role.OIL_PRESSURE)
    lateral, longitudinal, derived = g_channels(frame)
    readings = readings.with_checks(*derived)
    drive = locate(readings.corrected, frame, lateral, longitudinal, options.maps)
    side = side_of(readings.checks, readings.corrections, lateral, readings.corrected)
    if not side.proven and (by_map := _side_by_map(drive.track, options)) is not None:
        side = by_map
        check = next((c for c in readings.checks if c.id == SIDE_CHECK), None)
        if check is not None:
            readings = readings.in_place_of(SIDE_CHECK, replace(check, level="ok", message=side.by))
    elif not side.proven and lateral is not None and any(m.shape.path is not None for m in options.maps):
        # Not on any map as it reads: on one when it is turned over?
        turned = locate(readings.corrected, frame, -lateral, longitudinal, options.maps)
        by_map = _side_by_map(turned.track, options)
        over = _turned_over(readings, by_map, options) if by_map is not None else None
        if by_map is not None and over is not None:
            check, correction = over
            side, drive, lateral = by_map, turned, -lateral
            readings = readings.in_place_of(SIDE_CHECK, check).put_right([correction])
            frame = frame_on(readings.corrected, Role.OIL_PRESSURE)
    track = drive.track
    return Located(
        readings=readings,
        frame=frame,
        lateral_g=lateral,
        longitudinal_g=longitudinal,
        laps=drive.laps,
        runs=drive.runs,
        track=track.without_side() if track is not None and not side.proven else track,
        side=side,
    )


def g_channels(frame: Frame) -> tuple[FloatArray | None, FloatArray | None, list[Check]]:
    """Lateral and longitudinal g as logged, or worked out from path and speed, each of shape (n,); and what is to be
    said of it."""
    lateral, longitudinal = frame.get(Role.LATERAL_G), frame.get(Role.LONGITUDINAL_G)
    derived: list[Check] = []
    if lateral is None and (lateral := lateral_from_path_g(frame)) is not None:
        derived.append(Check("lateral_g", "note", "Lateral g is worked out from the GPS path."))
    if longitudinal is None and (longitudinal := longitudinal_from_speed_g(frame)) is not None:
        derived.append(Check("longitudinal_g", "note", "Longitudinal g is worked out from the speed."))
    return lateral, longitudinal, derived


def _side_by_map(track: TrackMap | None, options: JudgeOptions) -> Side | None:
    """The side as a map of the circuit proves it: one that was made from a path, with the drive lying on it."""
    known = next((m for m in options.maps if track is not None and m.name == track.circuit), None)
    if known is None or known.shape.path is None:
        return None
    return Side(True, f"The turns go the way the map of {known.name} has them, which was made from a path.")


def _turned_over(readings: Trusted, by_map: Side, options: JudgeOptions) -> tuple[Check, Correction] | None:
    """The check and the correction of a lateral g that lies on a map only when it is turned over; None where that was
    decided."""
    check = next((c for c in readings.checks if c.id == SIDE_CHECK), None)
    if check is None or check.channel is None or (check.channel, "sign") in options.refused:
        return None
    reason = f"{by_map.by} Its own sign has left and right the other way about: it is turned over."
    correction = Correction(check.channel, "sign", -1.0, "", reason)
    return replace(check, level="warn", message=reason, correction=correction, offered=False), correction
