"""What an accumulator holds and does, as the JSON document of the contract."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from basso.accumulator.gas import Bottle, charged_l, curve, seconds_of_cover, usable_l
from basso.findings.accumulator.cover import Cover, CoveredPass
from basso.findings.accumulator.ladder import Ladder
from basso.report.documents import Document, rounded
from basso.words.accumulator import how_sure, ladder_words, static_cautions


@dataclass(frozen=True, slots=True)
class Charge:
    """A bottle with what it is charged to and what it is to hold.

    Attributes:
        peak_kpa: gallery pressure it is charged with; ``floor_kpa``: to be held.
        flow_lpm: that it has to replace; None where not known.
    """

    bottle: Bottle
    peak_kpa: float
    floor_kpa: float
    flow_lpm: float | None

    @property
    def usable_l(self) -> float:
        """Oil it gives over the floor."""
        return usable_l(self.bottle, self.peak_kpa, self.floor_kpa)

    @property
    def stored_l(self) -> float:
        """Oil in it when charged."""
        return float(charged_l(self.bottle, self.peak_kpa))

    @property
    def seconds(self) -> float | None:
        """How long it covers the flow."""
        return seconds_of_cover(self.usable_l, self.flow_lpm) if self.flow_lpm else None


def accumulator_document(c: Charge, more: Sequence[str] = ()) -> Document:
    """``basso.accumulator/1``; ``more``: cautions before those of the arithmetic."""
    oil, pressure = curve(c.bottle, c.peak_kpa - c.bottle.friction_kpa)
    return {
        "schema": "basso.accumulator/1",
        "stored_l": rounded(c.stored_l, 12),
        "usable_l": rounded(c.usable_l, 12),
        "seconds_at_flow": rounded(c.seconds, 9),
        "pressure_curve": [
            {"oil_l": rounded(float(o), 9), "pressure_kpa": rounded(float(p), 6)}
            for o, p in zip(oil, pressure, strict=True)
        ],
        "cautions": [*more, *map(str, static_cautions(c.bottle, c.peak_kpa, c.floor_kpa, c.flow_lpm))],
    }


def replay_document(cover: Cover, smallest_l: float | None, ladder: Ladder) -> Document:
    """What is added with a log."""
    return {
        "replay": {
            "passes": [_pass(p) for p in cover.passes],
            "spent_l_per_lap": rounded(cover.spent_l_per_lap, 4),
            "emptiest_l": rounded(cover.emptiest_l, 4),
            "smallest_total_l": rounded(smallest_l, 2),
            "refill_takes_s": rounded(cover.taken_s, 2),
            "how_sure": str(how_sure()),
        },
        "ladder": {
            "precharge_kpa": rounded(ladder.precharge_kpa, 1),
            "hot_idle_kpa": _range(ladder.hot_idle),
            "floor_kpa": rounded(ladder.floor_kpa, 1),
            "trigger_kpa": rounded(ladder.trigger_kpa, 1),
            "shuts_kpa": rounded(ladder.shuts_kpa, 1),
            "normal_kpa": _range(ladder.normal),
            "relief_kpa": rounded(ladder.relief, 1),
            "refill_share": rounded(ladder.refill_share, 3),
            "conflicts": [
                {"kind": r.kind, "fault": r.is_fault, "sentence": str(words)}
                for r, words in zip(ladder.rungs, ladder_words(ladder), strict=True)
            ],
        },
    }


def _range(values: tuple[float, float] | None) -> list[float | None] | None:
    return [rounded(v, 1) for v in values] if values is not None else None


def _pass(p: CoveredPass) -> Document:
    was = p.without
    return {
        "lap": was.lap,
        "corner": was.place if was.is_corner else None,
        "place": was.place,
        "start_s": rounded(was.start_s),
        "end_s": rounded(was.end_s),
        "lowest_without_kpa": rounded(was.lowest_kpa, 2),
        "lowest_with_kpa": rounded(p.lowest_kpa, 2),
        "floor_kpa": rounded(was.floor_kpa, 2),
        "short_s": rounded(p.short_s, 3),
        "spent_l": rounded(p.spent_l, 4),
        "oil_left_l": rounded(p.oil_left_l, 4),
        "ran_dry": p.ran_dry,
    }
