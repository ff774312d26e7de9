"""The system's libraries that Qt needs, and which of them are missing: asked before the window, and by ``make demo``
before anything is downloaded. Run as a file of its own it needs nothing but Python."""

from __future__ import annotations

import ctypes
import os
import sys
from collections.abc import Mapping

_ALWAYS = {
    "libEGL.so.1": "libegl1",
    "libGL.so.1": "libgl1",
    "libxkbcommon.so.0": "libxkbcommon0",
    "libfontconfig.so.1": "libfontconfig1",
    "libdbus-1.so.3": "libdbus-1-3",
    "libglib-2.0.so.0": "libglib2.0-0",
}
_X11 = {
    "libX11-xcb.so.1": "libx11-xcb1",
    "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0",
    "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-randr.so.0": "libxcb-randr0",
    "libxcb-render-util.so.0": "libxcb-render-util0",
    "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-sync.so.1": "libxcb-sync1",
    "libxcb-util.so.1": "libxcb-util1",
    "libxcb-xfixes.so.0": "libxcb-xfixes0",
    "libxcb-xkb.so.1": "libxcb-xkb1",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0",
}
_WAYLAND = {
    "libwayland-client.so.0": "libwayland-client0",
    "libwayland-cursor.so.0": "libwayland-cursor0",
    "libwayland-egl.so.1": "libwayland-egl1",
}
"""Libraries that a bare system may lack, and the Debian or Ubuntu package of each."""


def problem(environment: Mapping[str, str]) -> str:
    """One sentence that names the packages of all that is missing for the display there is; "" where nothing is."""
    platform, on_x11 = environment.get("QT_QPA_PLATFORM", ""), bool(environment.get("DISPLAY"))
    needed = dict(_ALWAYS)
    if platform.startswith("wayland") or (not platform and environment.get("WAYLAND_DISPLAY")):
        # Qt falls back to X11 where it is there and Wayland cannot be loaded.
        needed |= _X11 if not platform and on_x11 and not all(map(_loads, _WAYLAND)) else _WAYLAND
    elif platform == "xcb" or (not platform and on_x11):
        needed |= _X11
    missing = [package for library, package in needed.items() if not _loads(library)]
    return (
        f"system libraries that Qt needs are missing; install them: sudo apt install {' '.join(missing)}"
        if missing
        else ""
    )


def _loads(library: str) -> bool:
    try:
        ctypes.CDLL(library)
    except OSError:
        return False
    return True


if __name__ == "__main__":
    sys.exit(problem(os.environ) or 0)
