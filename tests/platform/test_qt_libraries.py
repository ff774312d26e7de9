"""What a bare system lacks for Qt is named all at once, for the display there is."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from basso.platform import qt_libraries


@pytest.fixture(params=[("libxcb-icccm.so.4", "libxcb-image.so.0"), ("libEGL.so.1",), ("libwayland-egl.so.1",)])
def missing(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> tuple[str, ...]:
    gone: tuple[str, ...] = request.param
    monkeypatch.setattr(qt_libraries, "_loads", lambda library: library not in gone)
    return gone


@pytest.mark.parametrize(
    ("environment", "told"),
    [
        ({"QT_QPA_PLATFORM": "offscreen", "DISPLAY": ":0"}, {"libEGL.so.1": "libegl1"}),
        (
            {"DISPLAY": ":0"},
            {"libxcb-icccm.so.4": "libxcb-icccm4", "libxcb-image.so.0": "libxcb-image0", "libEGL.so.1": "libegl1"},
        ),
        ({"WAYLAND_DISPLAY": "w"}, {"libwayland-egl.so.1": "libwayland-egl1", "libEGL.so.1": "libegl1"}),
        ({"WAYLAND_DISPLAY": "w", "DISPLAY": ":0"}, {"libEGL.so.1": "libegl1"}),
    ],
)
def test_all_that_is_missing_is_named(
    environment: dict[str, str], told: dict[str, str], missing: tuple[str, ...]
) -> None:
    sentence = qt_libraries.problem(environment)
    assert sentence.split("install ")[-1].split() == [told[m] for m in missing if m in told]


def test_it_runs_before_anything_is_installed() -> None:
    file = Path(qt_libraries.__file__)
    alone = [sys.executable, "-I", "-S", str(file)]
    assert subprocess.run(alone, check=False, env={"QT_QPA_PLATFORM": "offscreen"}).returncode == 0
