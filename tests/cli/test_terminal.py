"""The manners of the command line: what is typed wrong, piped, long, or sent to a terminal of another encoding."""

from __future__ import annotations

import io
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pandas
import polars
import pytest

from basso import workflow
from basso.cli import main as command_line
from basso.cli.main import build_parser, main
from basso.cli.terminal import progress_on, speak_plainly, wipe

DEMO = workflow.demo_folder()
DYNO = str(DEMO / "dyno.csv")


class Terminal(io.StringIO):
    """A stream that somebody looks at."""

    def isatty(self) -> bool:
        return True


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        (["analyse", DYNO], "analyze"),
        (["repport", DYNO], "report"),
        (["analyze", DYNO, "--flor", "fixed:100"], "--floor"),
        (["compare", "--aa", DYNO], "--a"),
        (["analyze"], "'basso analyze --help'"),
        (["export", DYNO, "out.csv", "more"], "one argument too many"),
        (["runn.csv"], "does not exist"),
        (["fit", "--port", "M10x1"], "--sensor"),
    ],
)
def test_what_is_typed_wrong_is_one_line_with_what_was_meant(
    typed: list[str], meant: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(typed) == 2
    out, err = capsys.readouterr()
    assert out == "" and err.count("\n") == 1
    assert meant in err and err.count("basso: ") == 1 and not err.startswith("basso: basso")


def test_a_word_like_no_command_is_not_guessed_at(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["xyzzy"]) == 2
    assert "did you mean" not in capsys.readouterr().err


@pytest.mark.parametrize("command", [None, *command_line.COMMANDS])
def test_help_fits_a_terminal(command: str | None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("COLUMNS", "80")
    out = io.StringIO()
    monkeypatch.setattr(sys, "stdout", out)
    with pytest.raises(SystemExit):
        build_parser().parse_args([command, "--help"] if command else ["--help"])
    assert [line for line in out.getvalue().splitlines() if len(line) > 80] == []


def test_a_folder_is_the_logs_in_it(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name in ("b.csv", "a.csv"):
        shutil.copy(DYNO, tmp_path / name)
    (tmp_path / "notes.md").write_text("not a log")
    assert main(["analyze", str(tmp_path), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert [Path(d["log"]["path"]).name for d in found] == ["a.csv", "b.csv"]


def _piped(*words: str, given: bytes, encoding: str = "utf-8") -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-m", "basso", *words],
        input=given,
        capture_output=True,
        check=False,
        env={**os.environ, "PYTHONIOENCODING": encoding},
    )


def test_a_log_is_piped_in_and_out() -> None:
    log = Path(DYNO).read_bytes()
    judged = _piped("analyze", "-", "--json", given=log)
    assert judged.returncode == 0, judged.stderr
    document = json.loads(judged.stdout)
    assert document["log"]["path"] == "-" and document["judged"]["minutes"] > 2
    written = _piped("export", "-", "-", "--to", "10", given=log)
    assert polars.read_csv(io.BytesIO(written.stdout))["Time [s]"].max() == pytest.approx(10, abs=0.1)


def test_a_pipe_with_nothing_in_it_is_called_standard_input() -> None:
    told = _piped("analyze", "-", given=b"")
    assert told.returncode == 2
    assert told.stderr.decode().startswith("basso: standard input: ") and told.stderr.count(b"\n") == 1


def test_a_terminal_without_the_signs_keeps_minus_and_degree() -> None:
    """A minus that became a question mark would turn 0.8 g to the left into 0.8 g to the right."""
    out = io.TextIOWrapper(io.BytesIO(), encoding="ascii")
    speak_plainly(out)
    out.write("−0.8 g at 97 °C, ≥ 0.3 s … “turn 6” é 名")
    out.flush()
    assert out.buffer.getvalue() == rb'-0.8 g at 97 degC, >= 0.3 s ... "turn 6" e \u540d'  # type: ignore[attr-defined]


def test_documents_keep_their_names_on_any_terminal(tmp_path: Path) -> None:
    log = tmp_path / "Öl.csv"
    shutil.copy(DYNO, log)
    told = _piped("import", str(log), "--json", given=b"", encoding="ascii")
    assert told.returncode == 0, told.stderr
    assert json.loads(told.stdout)["path"] == str(log)


def test_a_full_disk_is_one_sentence() -> None:
    with Path("/dev/full").open("wb") as full:
        told = subprocess.run(
            [sys.executable, "-m", "basso", "import", DYNO], stdout=full, stderr=subprocess.PIPE, check=False
        )
    assert told.returncode == 2
    assert told.stderr.decode().startswith("basso: the output cannot be written") and told.stderr.count(b"\n") == 1


def test_progress_is_told_on_a_terminal_after_a_second_and_goes_again() -> None:
    now = [0.0]
    terminal = Terminal()
    tell = progress_on(terminal, lambda: now[0])
    for now[0], done in ((0.5, 0.1), (1.1, 0.4), (1.15, 0.45), (1.6, 0.6)):
        tell(done, "reading")
    assert [t.strip("\r\x1b[K") for t in terminal.getvalue().split("\r")[1:]] == ["reading … 40%", "reading … 60%"]
    wipe(terminal)
    assert terminal.getvalue().endswith("\r\x1b[K")
    now[0] = 3.0
    tell(0.7, "run\x1b[2J.csv")
    assert "\x1b[2J" not in terminal.getvalue() and "run\\x1b[2J.csv" in terminal.getvalue()
    file = io.StringIO()
    progress_on(file, lambda: 100.0)(0.5, "reading")
    wipe(file)
    assert file.getvalue() == ""


class TestExport:
    """A log as a plain table."""

    def test_any_table_reader_opens_it_and_a_spreadsheet_sees_its_encoding(self, tmp_path: Path) -> None:
        out = tmp_path / "out.csv"
        assert main(["export", str(DEMO / "baseline-1.csv"), str(out)]) == 0
        for table in (pandas.read_csv(out), polars.read_csv(out)):
            assert "Oil temp [°C]" in table.columns and next(iter(table.columns)) == "Time [s]"
            assert len(table) > 10_000
        assert out.read_bytes().startswith("\ufeffTime".encode())

    def test_a_file_that_is_there_is_left_unless_forced(
        self, tmp_path: Path, capsys: pytest.CaptureFixture[str]
    ) -> None:
        out = tmp_path / "out.csv"
        out.write_text("mine")
        assert main(["export", DYNO, str(out)]) == 2
        assert "--force" in capsys.readouterr().err and out.read_text() == "mine"
        assert main(["export", DYNO, str(out), "--force"]) == 0
        assert out.read_text() != "mine"

    @pytest.mark.parametrize(("answer", "status"), [("y\n", 0), ("\n", 2), ("no\n", 2)])
    def test_on_a_terminal_it_is_asked(
        self, answer: str, status: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        out = tmp_path / "out.csv"
        out.write_text("mine")
        monkeypatch.setattr(sys, "stdin", Terminal(answer))
        monkeypatch.setattr(sys, "stderr", Terminal())
        assert main(["export", DYNO, str(out)]) == status
        assert (out.read_text() == "mine") == (status == 2)

    def test_facts_stand_above_where_asked_for(self, tmp_path: Path) -> None:
        out = tmp_path / "out.csv"
        log = tmp_path / "odd.csv"
        log.write_text(
            "Venue,Harrowfell\n\nTime [s],rpm,P3 [psi]\n" + "".join(f"{i / 10},3000,{i}\n" for i in range(60))
        )
        role = ["--role", "oil_pressure=P3"]
        assert main(["export", str(log), str(out), "--facts", *role]) == 0
        assert "Harrowfell" in out.read_text() and workflow.open_recording(out).has("oil_pressure")  # type: ignore[arg-type]
        assert main(["export", str(log), str(out), "--force", *role]) == 0
        assert "Harrowfell" not in out.read_text()
