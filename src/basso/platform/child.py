"""Work done in a process of its own, which may fail, run wild or be taken over without taking anything with it.

The child gets a folder of its own, in which it finds ``request.json`` and leaves what it made; on standard output it
writes one JSON document a line, progress first, its answer last. It is confined (:mod:`basso.platform.confinement`)
before it looks at anything, ends with the process that started it, and has bounded memory and time.
"""

from __future__ import annotations

import json
import os
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from basso.platform.code import command_of

_LONGEST_LINE = 32_000_000
_LOOK_EVERY_S = 0.1
_PAGE = os.sysconf("SC_PAGE_SIZE") if hasattr(os, "sysconf") else 4096


@dataclass(frozen=True, slots=True)
class Bounds:
    """What a child may use: memory in bytes, wall and processor time in s, bytes in one file."""

    memory_bytes: int
    seconds: float
    file_bytes: int


class ChildError(Exception):
    """The child gave no answer.

    Attributes:
        why: "time" (it took longer than it may), "memory" (it wanted more than it may), or "died".
        detail: name of the exception it died of, or "".
    """

    def __init__(self, why: str, detail: str = "") -> None:
        self.why, self.detail = why, detail
        super().__init__(why)


def run_child(
    module: str, folder: Path, request: dict[str, Any], bounds: Bounds, heard: Callable[[dict[str, Any]], None]
) -> dict[str, Any]:
    """Run a module of Basso by itself in ``folder`` and give its answer.

    Args:
        module: calls :func:`serve`.
        folder: empty, and the child's own.
        request: plain values, for the child.
        bounds: what it may use.
        heard: called with every other document it writes; an exception out of it ends the child.

    Raises:
        ChildError: it gave no answer.
    """
    import subprocess

    own = {"parent": os.getpid(), "memory": bounds.memory_bytes, "seconds": bounds.seconds, "file": bounds.file_bytes}
    (folder / "request.json").write_text(json.dumps({"bounds": own, "request": request}), encoding="utf-8")
    environment = {
        **{
            k: v
            for k, v in os.environ.items()
            if k in ("PATH", "HOME", "LANG", "LC_ALL", "TZ", "XDG_CACHE_HOME", "PYTHONPATH")
        },
        "TMPDIR": str(folder),
        "OPENBLAS_NUM_THREADS": "1",
        "PYTHONDONTWRITEBYTECODE": "1",
        "RAYON_NUM_THREADS": "2",
        "POLARS_MAX_THREADS": "2",
    }
    command = [*command_of(module), str(folder)]
    answer: dict[str, Any] | None = None
    ended_for = ""

    with subprocess.Popen(
        command,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env=environment,
        close_fds=True,
    ) as child:
        assert child.stdout is not None
        over = threading.Event()

        def watch() -> None:
            """Damage can make a library run in circles, or ask for memory in ways the kernel's limit does not count."""
            nonlocal ended_for
            until = time.monotonic() + bounds.seconds
            while not over.wait(_LOOK_EVERY_S):
                if time.monotonic() > until:
                    ended_for = "time"
                elif _resident_bytes(child.pid) > bounds.memory_bytes:
                    ended_for = "memory"
                if ended_for:
                    child.kill()
                    return

        watcher = threading.Thread(target=watch, daemon=True)
        watcher.start()
        try:
            while line := child.stdout.readline(_LONGEST_LINE):
                try:
                    told = json.loads(line)
                except (ValueError, RecursionError):
                    break
                if not isinstance(told, dict):
                    break
                if "answer" in told:
                    answer = told["answer"]
                else:
                    heard(told)
        finally:
            # Also when the user stopped the work (``heard`` raised): the child must not go on alone.
            over.set()
            if answer is None:
                child.kill()
            child.stdout.close()
            child.wait()
            watcher.join()
    if answer is None or child.returncode != 0:
        raise ChildError(ended_for or ("time" if child.returncode == -24 else "died"))  # 24: processor time ran out
    if "failed" in answer:
        raise ChildError(*answer["failed"])
    return answer


def _resident_bytes(process: int) -> int:
    """Memory of a process that is its own; 0 where that cannot be told."""
    try:
        _, resident, shared, *_ = Path(f"/proc/{process}/statm").read_bytes().split()
        return (int(resident) - int(shared)) * _PAGE
    except (OSError, ValueError):
        return 0


def serve(work: Callable[[dict[str, Any], Path], dict[str, Any]]) -> None:
    """In the child: confine this process, do the work asked for, and say its answer.

    Args:
        work: (request, folder) → answer, plain values. What it raises becomes a :class:`ChildError` of the parent.
    """
    from basso.platform.confinement import confine, end_with_parent, limit

    folder = Path(sys.argv[1])
    asked = json.loads((folder / "request.json").read_text(encoding="utf-8"))
    bounds = asked["bounds"]
    end_with_parent(bounds["parent"])
    limit(bounds["memory"], int(bounds["seconds"]) + 1, bounds["file"])
    confine(folder)
    # What libraries print must not be taken for an answer.
    out = os.fdopen(os.dup(sys.stdout.fileno()), "w", encoding="utf-8")
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    global _out
    _out = out
    try:
        answer = work(asked["request"], folder)
    except MemoryError:
        answer = {"failed": ["memory", ""]}
    except Exception as error:
        answer = {"failed": ["died", type(error).__name__]}
    say({"answer": answer})
    out.flush()
    os._exit(0)  # threads of libraries are not waited for


_out: Any = None


def say(document: dict[str, Any]) -> None:
    """In the child: one document to the parent."""
    print(json.dumps(document), file=_out, flush=True)
