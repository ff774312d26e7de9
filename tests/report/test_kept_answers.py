"""What was judged before is told at once, and never in the place of another answer."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from basso.cli.main import main
from basso.pressure.floors import parse_floor
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.report.kept_answers import judged_before
from basso.report.several import JudgedLog, judged_log, on_shared_maps
from basso.workflow import demo_folder, judge, open_recording


@pytest.fixture(scope="module")
def recording() -> Recording:
    return open_recording(demo_folder() / "baseline-1.csv")


class Judging:
    """Judges for real, and counts."""

    def __init__(self, recording: Recording, options: JudgeOptions, folder: Path) -> None:
        self.times, self._of = 0, (recording, options, folder)

    def told(self) -> JudgedLog:
        recording, options, folder = self._of

        def judged() -> JudgedLog:
            self.times += 1
            return judged_log(judge(recording, options))

        return judged_before(recording, options, judged, folder)


def test_the_same_log_judged_alike_is_told_at_once_and_the_same(recording: Recording, tmp_path: Path) -> None:
    judging = Judging(recording, JudgeOptions(), tmp_path)
    first, again = judging.told(), judging.told()
    assert judging.times == 1
    assert again.document == first.document
    assert again.places == first.places and again.dips_m == first.dips_m
    assert first.shape is not None and again.shape is not None
    assert np.array_equal(first.shape.lateral_g, again.shape.lateral_g)
    assert on_shared_maps([again, first]) == on_shared_maps([first, first])


def test_whatever_the_answer_rests_on_makes_another_answer(recording: Recording, tmp_path: Path) -> None:
    Judging(recording, JudgeOptions(), tmp_path).told()
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None
    touched = pressure.values.copy()
    touched[7] += 0.001
    in_one_sample = recording.with_channels(
        tuple(replace(c, values=touched) if c is pressure else c for c in recording.channels)
    )
    elsewhere = replace(recording, path=Path("elsewhere.csv"))
    for log, options in (
        (in_one_sample, JudgeOptions()),
        (elsewhere, JudgeOptions()),
        (recording, JudgeOptions(floors=(parse_floor("fixed:200"),))),
        (recording, JudgeOptions(refused=frozenset({("Oil pressure", "offset")}))),
    ):
        judging = Judging(log, options, tmp_path)
        judging.told()
        assert judging.times == 1


def test_a_changed_byte_in_what_was_kept_is_judged_anew(recording: Recording, tmp_path: Path) -> None:
    first = Judging(recording, JudgeOptions(), tmp_path).told()
    (file,) = tmp_path.glob("*.json")
    file.write_bytes(file.read_bytes().replace(b'"events": [', b'"events": [ ', 1))
    judging = Judging(recording, JudgeOptions(), tmp_path)
    assert judging.told().document == first.document
    assert judging.times == 1


def test_where_nothing_can_be_kept_it_is_judged_all_the_same(recording: Recording, tmp_path: Path) -> None:
    folder = tmp_path / "a file"
    folder.write_text("in the way")
    judging = Judging(recording, JudgeOptions(), folder / "answers")
    assert judging.told().document == judging.told().document
    assert judging.times == 2


def test_the_command_line_tells_the_same_again(capsys: pytest.CaptureFixture[str]) -> None:
    log = str(demo_folder() / "gated.csv")
    said = []
    for _ in range(2):
        assert main(["analyze", log, "--json"]) == 0
        said.append(capsys.readouterr().out)
    assert said[0] == said[1] and '"events"' in said[0]
