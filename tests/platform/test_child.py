"""A process that reads a stranger's file can read, count and write into its own folder, and nothing else."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import pytest

from basso.platform.child import Bounds, ChildError, run_child
from basso.platform.confinement import _guard

MODERATE = Bounds(400_000_000, 20.0, 10_000_000)


@pytest.fixture(autouse=True)
def _path(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PYTHONPATH", str(Path(__file__).parent))


def ask(folder: Path, bounds: Bounds = MODERATE, **request: Any) -> dict[str, Any]:
    own = folder / "own"
    own.mkdir(exist_ok=True)
    return run_child("hostile_child", own, request, bounds, lambda _: None)


def test_it_does_its_own_work_and_what_libraries_print_is_no_answer(tmp_path: Path) -> None:
    answer = ask(tmp_path, **{"try": ["write here", "read", "thread"]})
    assert answer == {"done": {"write here": True, "read": True, "thread": True}}


@pytest.mark.parametrize(
    "what",
    [
        "write",
        "write by c",
        "remove",
        "remove by c",
        "rename by c",
        "socket",
        "socket by c",
        "run",
        "system by c",
        "fork by c",
    ],
)
def test_nothing_outside_is_touched_even_past_python(what: str, tmp_path: Path) -> None:
    victim = tmp_path / "victim"
    victim.write_text("mine")
    answer = ask(tmp_path, outside=str(tmp_path / "planted"), victim=str(victim), **{"try": [what]})
    assert answer["done"] == {what: False}
    assert victim.read_text() == "mine" and sorted(p.name for p in tmp_path.iterdir()) == ["own", "victim"]


def test_running_in_circles_and_sleeping_end_in_time(tmp_path: Path) -> None:
    for request in ({"loop": True}, {"sleep": 60}):
        begun = time.monotonic()
        with pytest.raises(ChildError) as told:
            ask(tmp_path, Bounds(400_000_000, 1.5, 1_000_000), **request)
        assert told.value.why == "time" and time.monotonic() - begun < 8.0


def test_memory_is_bounded_and_said(tmp_path: Path) -> None:
    with pytest.raises(ChildError) as told:
        ask(tmp_path, Bounds(200_000_000, 20.0, 1_000_000), memory=True)
    assert told.value.why == "memory"


def test_a_fault_is_named(tmp_path: Path) -> None:
    with pytest.raises(ChildError) as told:
        ask(tmp_path, **{"raise": True})
    assert (told.value.why, told.value.detail) == ("died", "RuntimeError")


def test_stopping_the_work_ends_the_child(tmp_path: Path) -> None:
    class Stopped(Exception):
        pass

    def stop(_: object) -> None:
        raise Stopped

    (tmp_path / "own").mkdir()
    with pytest.raises(Stopped):
        run_child("hostile_child", tmp_path / "own", {"say": 1, "sleep": 30}, MODERATE, stop)


def test_it_ends_when_the_process_that_began_it_is_killed(tmp_path: Path) -> None:
    (tmp_path / "own").mkdir()
    code = (
        "import sys; from pathlib import Path; from basso.platform.child import Bounds, run_child\n"
        f"run_child('hostile_child', Path({str(tmp_path / 'own')!r}), {{'say': 1, 'sleep': 60}}, "
        "Bounds(400_000_000, 60.0, 1_000_000), "
        "lambda _: print('begun', flush=True))"
    )
    with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE) as parent:
        assert parent.stdout is not None and parent.stdout.readline() == b"begun\n"
        (child,) = Path(f"/proc/{parent.pid}/task/{parent.pid}/children").read_text().split()
        parent.kill()
    until = time.monotonic() + 5.0
    while _runs(child) and time.monotonic() < until:
        time.sleep(0.02)
    assert not _runs(child)


def _runs(process: str) -> bool:
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] not in ("Z", "X")
    except OSError:
        return False


def test_no_secrets_of_the_environment_reach_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("SOME_TOKEN", "secret")
    seen = ask(tmp_path, environment=True)["environment"]
    assert "PATH" in seen and "SOME_TOKEN" not in seen


def test_pythons_own_hook_refuses_the_same_where_the_kernel_offers_nothing(tmp_path: Path) -> None:
    hook = _guard(tmp_path)
    for event, details in (
        ("open", (str(tmp_path.parent / "x"), "w", os.O_WRONLY)),
        ("open", (str(tmp_path.parent / "x"), None, os.O_RDWR)),
        ("socket.connect", (None, ("127.0.0.1", 1))),
        ("subprocess.Popen", ("true", [], None, None)),
        ("os.system", (b"true",)),
        ("os.remove", (str(tmp_path.parent / "x"), -1)),
        ("os.rename", (str(tmp_path / "a"), str(tmp_path.parent / "b"), -1, -1)),
        ("open", (str(tmp_path / ".." / "x"), "w", os.O_WRONLY)),
    ):
        with pytest.raises(PermissionError):
            hook(event, details)
    hook("open", (str(tmp_path / "made"), "w", os.O_WRONLY | os.O_CREAT))
    hook("open", ("/etc/hostname", "r", os.O_RDONLY))
    hook("import", ("json", None, None, None, None))
