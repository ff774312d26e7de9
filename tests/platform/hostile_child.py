"""What a process that was taken over while it read a log would try. Run by ``test_child`` in a confined process."""

from __future__ import annotations

import ctypes
import os
import socket
import subprocess
import threading
import time
from pathlib import Path
from typing import Any

from basso.platform.child import say, serve


def _by_the_c_library(call: str, *arguments: Any) -> bool:
    """True when a call that Python's own hooks do not see succeeds."""
    libc = ctypes.CDLL(None, use_errno=True)
    return int(getattr(libc, call)(*arguments)) >= 0


def _fork() -> bool:
    libc = ctypes.CDLL(None, use_errno=True)
    made = libc.fork()
    if made == 0:
        os._exit(0)
    return int(made) > 0


def _thread() -> bool:
    done: list[int] = []
    thread = threading.Thread(target=lambda: done.append(1))
    thread.start()
    thread.join()
    return bool(done)


def work(request: dict[str, Any], folder: Path) -> dict[str, Any]:
    """Do what is asked for; True where it could be done."""
    outside = request.get("outside", "")
    attempts = {
        "write here": lambda: (folder / "made").write_text("x") > 0,
        "read": lambda: bool(Path(__file__).read_bytes()),
        "thread": _thread,
        "write": lambda: Path(outside).write_text("x") > 0,
        "write by c": lambda: _by_the_c_library("creat", outside.encode(), 0o644),
        "remove": lambda: Path(request["victim"]).unlink() is None,
        "remove by c": lambda: _by_the_c_library("unlink", request["victim"].encode()),
        "rename by c": lambda: _by_the_c_library("rename", request["victim"].encode(), f"{outside}.moved".encode()),
        "socket": lambda: bool(socket.socket()),
        "socket by c": lambda: _by_the_c_library("socket", 2, 1, 0),
        "run": lambda: subprocess.run(["true"], check=True).returncode == 0,
        "system by c": lambda: ctypes.CDLL(None).system(b"true") == 0,
        "fork by c": _fork,
    }
    done: dict[str, Any] = {}
    for name in request.get("try", ()):
        try:
            done[name] = attempts[name]()
        except OSError:
            done[name] = False
    for step in range(request.get("say", 0)):
        say({"progress": step})
    if request.get("loop"):
        while True:
            pass
    if request.get("sleep"):
        time.sleep(request["sleep"])
    if request.get("memory"):
        held = [bytes(10_000_000)]
        while True:
            held.append(bytearray(os.urandom(1)) * 10_000_000)
    if request.get("raise"):
        raise RuntimeError("a fault")
    print("noise of a library")
    return {"done": done, **({"environment": sorted(os.environ)} if request.get("environment") else {})}


if __name__ == "__main__":
    serve(work)
