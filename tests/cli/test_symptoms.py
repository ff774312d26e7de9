"""``basso symptoms`` as scripts use it."""

from __future__ import annotations

import json

import pytest

from basso.cli.main import main


def test_what_is_asked_is_listed_and_answers_rank_the_causes(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["symptoms"]) == 0
    assert "when=left          in left turns" in capsys.readouterr().out
    assert main(["symptoms", "when=left", "level=low", "noise=knock"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[0].startswith("Stop: with a noise from the bearings") and lines[1] == "Too little oil: most likely"
    assert (
        lines[2] == "    test (minutes): Engine off: read the stick on level ground; drain and measure if it was "
        "never calibrated."
    )
    assert main(["symptoms", "when=left", "level=low", "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert (
        document["schema"] == "basso.symptoms/1" and document["causes"][0]["key"] == "level" and document["stop"] == ""
    )
    assert sum(c["share"] for c in document["causes"]) == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        ("left", "is not an answer to a question"),
        ("where=left", "with one of when, lamp"),
        ("when=up", "when has the answers left, right"),
    ],
)
def test_an_answer_that_is_none_is_told_with_what_there_is(
    answer: str, says: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["symptoms", answer]) == 2
    assert says in capsys.readouterr().err
