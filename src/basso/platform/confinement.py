"""What a process that reads a stranger's file may still do: read, count, and write into one folder.

Three layers, each enough against most mistakes, none relied on alone:

- limits of the kernel on memory, processor time, file size and open files (``setrlimit``), everywhere;
- a filter of system calls (seccomp): no network, no other program, no new process;
- rules for the file system (Landlock): nothing is written, made, renamed or removed outside one folder.

The last two need a Linux kernel that offers them (5.13 and later do); where they are missing, a hook on Python's own
auditing refuses the same things to Python code. Nothing here can be taken back once it is in force.
"""

from __future__ import annotations

import ctypes
import os
import platform
import resource
import signal
import struct
import sys
from pathlib import Path
from types import MappingProxyType
from typing import Any

_PR_SET_PDEATHSIG, _PR_SET_NO_NEW_PRIVS, _PR_SET_SECCOMP = 1, 38, 22
_SECCOMP_MODE_FILTER = 2
_OPEN_FILES = 256

# Source: the kernel's tables of system calls (arch/x86/entry/syscalls/syscall_64.tbl,
# include/uapi/asm-generic/unistd.h).
_MACHINES = MappingProxyType(
    {
        "x86_64": (0xC000003E, {"clone": 56, "clone3": 435, "refused": (41, 53, 57, 58, 59, 101, 310, 311, 322, 425)}),
        "aarch64": (0xC00000B7, {"clone": 220, "clone3": 435, "refused": (117, 198, 199, 221, 270, 271, 281, 425)}),
    }
)
"""By machine: its audit number, and the calls that are refused: socket, socketpair, fork, vfork, execve, execveat,
ptrace, process_vm_readv and _writev, io_uring_setup (which opens sockets past a filter)."""
_CLONE_THREAD = 0x00010000
_ALLOW, _ERRNO = 0x7FFF0000, 0x00050000
_EPERM, _ENOSYS = 1, 38


def end_with_parent(parent: int) -> None:
    """Be killed when the thread that started this process ends, however it ends.

    Args:
        parent: process number of the parent; if it is gone already, this process ends here.
    """
    if sys.platform == "linux":
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL, 0, 0, 0)
    if os.getppid() != parent:
        os._exit(1)


def limit(memory_bytes: int, seconds: int, file_bytes: int) -> None:
    """Bound this process' own memory, processor time and the size of any file it writes."""
    resource.setrlimit(resource.RLIMIT_DATA, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_FSIZE, (file_bytes, file_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    few = _OPEN_FILES if most == resource.RLIM_INFINITY else min(_OPEN_FILES, most)
    resource.setrlimit(resource.RLIMIT_NOFILE, (few, few))


def confine(folder: Path) -> list[str]:
    """Refuse this process the network, other programs, new processes, and writing outside ``folder``.

    Returns:
        Which layers are in force: "audit", and "landlock" and "seccomp" where the kernel offers them.
    """
    in_force = ["audit"]
    sys.addaudithook(_guard(folder.resolve()))
    if sys.platform != "linux":
        return in_force
    libc = ctypes.CDLL(None, use_errno=True)
    if libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0:
        return in_force
    if _landlock(libc, folder):
        in_force.append("landlock")
    if _seccomp(libc):
        in_force.append("seccomp")
    return in_force


_WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
_REFUSED = (
    "socket.",
    "subprocess.",
    "os.system",
    "os.exec",
    "os.fork",
    "os.posix_spawn",
    "os.spawn",
    "os.startfile",
    "pty.",
    "ftplib.",
    "http.",
    "smtplib.",
    "urllib.",
    "webbrowser.",
    "os.kill",
)
_CHANGING = (
    "os.remove",
    "os.rename",
    "os.link",
    "os.symlink",
    "os.rmdir",
    "os.mkdir",
    "os.chmod",
    "os.chown",
    "os.truncate",
)


def _guard(folder: Path) -> Any:
    """Python's own events, refused by the same rules; a path that cannot be resolved is refused."""

    def inside(name: object) -> bool:
        if isinstance(name, int):
            return True  # a file that is open already
        try:
            at = Path(os.path.realpath(os.fsdecode(name)))  # type: ignore[arg-type]
        except (TypeError, ValueError, OSError):
            return False
        return at == folder or folder in at.parents or at == Path(os.devnull)

    def hook(event: str, details: tuple[Any, ...]) -> None:
        if event == "open":
            name, mode, flags = details
            writes = bool(flags & _WRITING) if isinstance(flags, int) else any(c in str(mode) for c in "wax+")
            if writes and not inside(name):
                raise PermissionError(f"reading a log writes nothing outside its own folder ({name!r})")
        elif event.startswith(_REFUSED):
            raise PermissionError(f"reading a log does not do this ({event})")
        elif event.startswith(_CHANGING) and not all(
            inside(d) for d in details if isinstance(d, str | bytes | os.PathLike)
        ):
            raise PermissionError(f"reading a log changes nothing outside its own folder ({event})")

    return hook


# Landlock. Source: include/uapi/linux/landlock.h.

_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_PATH_BENEATH = 1
_WRITES_OF = ((1, 0x1FF2), (2, 0x2000), (3, 0x4000))
"""By version of the interface: rights that change something (write, remove, make of each kind; refer; truncate)."""


def _landlock(libc: ctypes.CDLL, folder: Path) -> bool:
    version = libc.syscall(_CREATE_RULESET, None, ctypes.c_size_t(0), 1)
    if version < 1:
        return False
    rights = 0
    for since, own in _WRITES_OF:
        rights |= own if version >= since else 0
    ruleset = libc.syscall(_CREATE_RULESET, struct.pack("<Q", rights), ctypes.c_size_t(8), 0)
    if ruleset < 0:
        return False
    try:
        for place, allowed in ((folder, rights), (Path(os.devnull), rights & (0x2 | 0x4000))):
            held = os.open(place, os.O_PATH | os.O_CLOEXEC)
            try:
                if libc.syscall(_ADD_RULE, ruleset, _PATH_BENEATH, struct.pack("<Qi", allowed, held), 0) != 0:
                    return False
            finally:
                os.close(held)
        return bool(libc.syscall(_RESTRICT_SELF, ruleset, 0) == 0)
    finally:
        os.close(ruleset)


# Seccomp. Source: include/uapi/linux/{seccomp,filter,audit}.h.


class _Program(ctypes.Structure):
    _fields_ = [("length", ctypes.c_ushort), ("steps", ctypes.c_char_p)]


def _seccomp(libc: ctypes.CDLL) -> bool:
    known = _MACHINES.get(platform.machine())
    if known is None or struct.calcsize("P") != 8:
        return False
    steps = _filter(*known)
    program = _Program(len(steps) // 8, steps)
    return bool(libc.prctl(_PR_SET_SECCOMP, _SECCOMP_MODE_FILTER, ctypes.byref(program), 0, 0) == 0)


def _filter(audit: int, calls: dict[str, Any]) -> bytes:
    """The filter's steps: refused calls end in EPERM, clone3 in ENOSYS (the C library then uses clone), threads are
    fine."""
    load, equal, all_set, give = 0x20, 0x15, 0x45, 0x06
    refused = list(calls["refused"])

    def step(code: int, value: int, then: int = 0, other: int = 0) -> bytes:
        return struct.pack("<HBBI", code, then, other, value)

    n = len(refused)
    return b"".join(
        [
            step(load, 4),
            step(equal, audit, 1, 0),
            step(give, _ERRNO | _EPERM),  # another machine's calls, such as 32-bit ones, have other numbers
            step(load, 0),
            step(all_set, 0x40000000, n + 6, 0),  # so have those of the x32 kind
            *(step(equal, call, n - i + 5, 0) for i, call in enumerate(refused)),
            step(equal, calls["clone3"], 0, 1),
            step(give, _ERRNO | _ENOSYS),
            step(equal, calls["clone"], 0, 2),
            step(load, 16),
            step(all_set, _CLONE_THREAD, 0, 1),
            step(give, _ALLOW),
            step(give, _ERRNO | _EPERM),
        ]
    )
