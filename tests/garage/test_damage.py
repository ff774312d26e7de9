"""Damage at random: a bundle or a database comes through, or is refused in one sentence; what is there already
stays."""

from __future__ import annotations

import os
import random
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from basso.errors import InputError
from basso.garage.bundle import export_car, import_car
from basso.garage.records import KINDS, Car
from basso.garage.store import Garage
from basso.memory.memory import Memory
from garage_support import a_car

RUNS = int(os.environ.get("BASSO_FUZZ_RUNS", "40"))
SEED = int(os.environ.get("BASSO_FUZZ_SEED", "1"))


def damaged(sound: bytes, rng: random.Random) -> bytes:
    """Bytes changed, cut out, put in, or the end cut off; once or several times over."""
    data = bytearray(sound)
    for _ in range(rng.choice((1, 1, 3, 20))):
        if len(data) < 2:
            break
        at = rng.randrange(len(data))
        kind = rng.randrange(4)
        if kind == 0:
            data[at] = rng.randrange(256)
        elif kind == 1:
            del data[at : at + rng.randrange(1, 200)]
        elif kind == 2:
            data[at:at] = rng.randbytes(rng.randrange(1, 30))
        else:
            del data[max(1, at) :]
    return bytes(data)


def refused(work: Callable[[], object]) -> bool:
    """True when it was refused, in one sentence."""
    try:
        work()
    except InputError as error:
        assert "\n" not in str(error) and len(str(error)) < 600
        return True
    return False


@pytest.fixture
def sound(tmp_path: Path) -> Path:
    """A folder with a sound garage in it and a bundle of its car beside it."""
    with Garage(tmp_path / "sound") as garage:
        garage.add("adding", *a_car())
        garage.files.keep_samples("hash0", b"samples" * 500)
        export_car(garage, garage.all(Car)[0], tmp_path / "car.zip", Memory.own().decisions)
    return tmp_path


def test_no_damaged_bundle_leaves_half_a_car(sound: Path) -> None:
    whole, rng, count = (sound / "car.zip").read_bytes(), random.Random(SEED), 0
    with Garage(sound / "to") as garage:
        for _ in range(RUNS):
            (sound / "damaged.zip").write_bytes(damaged(whole, rng))
            if refused(lambda: import_car(garage, sound / "damaged.zip")):
                count += 1
            for car in garage.all(Car):
                garage.remove("removing", car)
            assert not any(garage.all(kind) for kind in KINDS)
    assert count > RUNS / 2  # else the damage does not reach anything


def test_no_damaged_database_is_written_to_or_gives_more_than_a_sentence(sound: Path) -> None:
    whole, rng, count = (sound / "sound" / "garage.sqlite").read_bytes(), random.Random(SEED), 0
    for number in range(RUNS):
        folder = sound / f"damaged-{number}"
        folder.mkdir()
        data = damaged(whole, rng)
        (folder / "garage.sqlite").write_bytes(data)

        def open_and_edit(where: Path = folder) -> None:
            with Garage(where) as garage:
                for kind in KINDS:
                    garage.all(kind)
                for car in garage.all(Car):
                    garage.change("noting", car, replace(car, note="noted"))

        if refused(open_and_edit):
            count += 1
            assert (folder / "garage.sqlite").read_bytes()[:100] == data[:100]
    assert count > RUNS / 4
