"""Several logs told together: one map for all that were driven on the same circuit, so that a corner is the same in
each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.report.documents import Document, analysis_document, corners_of
from basso.track.alignment import align
from basso.track.corners import Place, place_of

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.track.shape import LapShape


@dataclass(frozen=True, slots=True, eq=False)
class JudgedLog:
    """A judged log as its document, with what lays it on another's map; small enough to come from another process.

    Attributes:
        shape, places: of its lap, () and None where there are no places.
        dips_m: for each of its events the distances along the lap at which it begins and is lowest, NaN where not
            known.
    """

    document: Document
    shape: LapShape | None
    places: tuple[Place, ...]
    dips_m: tuple[tuple[float, float], ...]


def judged_log(a: Analysis) -> JudgedLog:
    """A judged log as its document."""
    track = a.track
    if track is None:
        return JudgedLog(analysis_document(a), None, (), ())
    along = track.lap_distance_m
    at = tuple((float(along[d.dip.first]), float(along[d.dip.lowest_margin])) for d in a.dips)
    return JudgedLog(analysis_document(a), track.shape, track.places, at)


def on_shared_maps(logs: Sequence[JudgedLog]) -> list[Document]:
    """The documents, every log on the map of the first that was driven on its circuit: corners have the same ids in all
    of them."""
    maps: list[JudgedLog] = []
    documents = []
    for log in logs:
        if log.shape is None:
            documents.append(log.document)
            continue
        for first in maps:
            assert first.shape is not None
            laid = align(first.shape, log.shape)
            if laid.problem is None:
                documents.append(_moved(log, first, laid.shift_m))
                break
        else:
            maps.append(log)
            documents.append(log.document)
    return documents


def _moved(log: JudgedLog, first: JudgedLog, shift_m: float) -> Document:
    assert first.shape is not None and log.shape is not None
    length = first.shape.length_m
    more = log.document["more"]
    events, told = [], []
    for event, further, at in zip(log.document["events"], more["events"], log.dips_m, strict=True):
        along = np.array(at) * (length / log.shape.length_m) + shift_m
        along = np.mod(along, length) if first.shape.closed else along
        place = place_of(first.places, along.tolist())
        events.append({**event, "corner": place.id if place is not None and place.is_corner else None})
        told.append({**further, "place": place.label if place is not None else None})
    more = {**more, "events": told, "corner_names": first.document["more"]["corner_names"]}
    return {**log.document, "corners": corners_of(first.places), "events": events, "more": more}
