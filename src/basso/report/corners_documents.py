"""What is told about where, as a JSON document and as text for a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.report.documents import Document, rounded, threshold_document

if TYPE_CHECKING:
    from basso.findings.corners.findings import CornerFindings, PlaceFinding


def corners_document(told: CornerFindings) -> Document:
    """``basso.corners/1``."""
    return {
        "schema": "basso.corners/1",
        "log": str(told.analysis.recording.path),
        "places": [_place(p) for p in told.places],
        "worst_first": [p.place.id for p in told.ranked],
        "test_place": told.test_place.place.id if told.test_place is not None else None,
        "thresholds": [threshold_document(t) for t in told.thresholds],
        "knee": {
            "rpm": rounded(told.knee.rpm, 0),
            "low_rpm": rounded(told.knee.low_rpm, 0),
            "high_rpm": rounded(told.knee.high_rpm, 0),
            "fall": rounded(told.knee.fall),
            "at_rpm": rounded(told.knee.top_rpm, 0),
            "seconds": rounded(told.knee.seconds, 1),
        }
        if told.knee is not None
        else None,
        "runs": [
            {
                "kind": r.run.kind,
                "number": r.run.number,
                "start_s": rounded(r.run.start_s),
                "end_s": rounded(r.run.end_s),
                "min_share": rounded(r.min_share),
                "min_pressure_kpa": rounded(r.min_pressure_kpa, 1),
                "below_s": rounded(r.below_s),
                "peak_g": rounded(r.peak_g),
                "peak_kpa": rounded(r.peak_kpa, 1),
            }
            for r in told.runs
        ],
        "per_lap": [
            {
                "measure": m.measure,
                "mean": rounded(m.mean, 4),
                "low": rounded(m.low, 4),
                "high": rounded(m.high, 4),
                "level": 0.95,
                "laps": m.laps,
            }
            for m in told.per_lap
        ],
        "slides": [{"start_s": rounded(a), "end_s": rounded(b)} for a, b in told.slides],
        "dips_in_slides": told.dips_in_slides,
        "held_up": [
            {
                "direction": h.direction,
                "kind": h.kind,
                "share_lost": rounded(h.lost),
                "from": rounded(h.from_, 1),
                "to": rounded(h.to, 1),
            }
            for h in told.held_up
        ],
        "at_equal_g": [
            {
                "direction": s.direction,
                "seconds": rounded(s.seconds, 1),
                "below_s": rounded(s.below_s),
                "share_below": rounded(s.share),
            }
            for s in told.sides
        ],
    }


def _place(p: PlaceFinding) -> Document:
    return {
        "id": p.place.id,
        "kind": p.place.kind,
        "start_m": rounded(p.place.start_m, 1),
        "apex_m": rounded(p.place.apex_m, 1),
        "end_m": rounded(p.place.end_m, 1),
        "name": p.place.name or None,
        "banking_deg": rounded(p.banking_deg, 1),
        "radius_m": rounded(p.radius_m, 1),
        "peak_g": rounded(p.place.peak_g),
        "passes": len(p.passes),
        "below": p.dips,
        "lowest_share": rounded(p.lowest),
        "worst_share": rounded(p.worst),
        "below_s_per_pass": rounded(p.below_s),
        "exposure_s": rounded(p.exposure),
        "only_from_lap": p.pattern.from_lap if p.pattern is not None else None,
        "only_above_c": rounded(p.pattern.above_c, 1) if p.pattern is not None else None,
        "phase": p.phase or None,
        "share_per_lap": rounded(p.lean_per_lap),
        "laps": [
            {
                "lap": x.lap_key[2],
                "min_share": rounded(x.min_share),
                "min_pressure_kpa": rounded(x.min_pressure_kpa),
                "below_s": rounded(x.below_s),
                "at_s": rounded(x.time_s),
            }
            for x in p.passes
        ],
    }
