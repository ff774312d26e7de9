"""Makes the demo logs that ship with Basso: ``python -m basso.standin.demo``."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from basso.standin.bus import DATABASE, write_candump
from basso.standin.scenarios import SCENARIOS, generator, run


def demo_log(name: str) -> bytes:
    """The demo log of a scenario, as it ships.

    Raises:
        KeyError: no demo log is made of that scenario.
    """
    seed = SCENARIOS[name].demo_seed
    if seed is None:
        raise KeyError(name)
    return run(name, seed)[1]


def bus_sample() -> tuple[bytes, bytes]:
    """A short drive as a bus log, and the database that decodes it."""
    name = "baseline-1"
    seed = SCENARIOS[name].demo_seed or 1
    simulated, _ = run(name, seed, 1)
    return write_candump(simulated, generator("bus", seed)), DATABASE.encode()


def main() -> None:
    """Write every demo log anew into the package."""
    folder = Path(str(resources.files("basso").joinpath("demo")))
    for name, scenario in SCENARIOS.items():
        if scenario.demo_seed is not None:
            (folder / f"{name}.csv").write_bytes(demo_log(name))
    log, database = bus_sample()
    (folder / "bus").mkdir(exist_ok=True)
    (folder / "bus" / "harrowfell.log").write_bytes(log)
    (folder / "bus" / "harrowfell.dbc").write_bytes(database)


if __name__ == "__main__":
    main()
