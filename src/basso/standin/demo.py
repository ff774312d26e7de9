"""Makes the demo logs that ship with Basso: ``python -m basso.standin.demo``."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from basso.standin.scenarios import SCENARIOS, run


def demo_log(name: str) -> bytes:
    """The demo log of a scenario, as it ships."""
    seed = SCENARIOS[name].demo_seed
    if seed is None:
        raise KeyError(name)
    return run(name, seed)[1]


def main() -> None:
    """Write every demo log anew into the package."""
    folder = Path(str(resources.files("basso").joinpath("demo")))
    for name, scenario in SCENARIOS.items():
        if scenario.demo_seed is not None:
            (folder / f"{name}.csv").write_bytes(demo_log(name))


if __name__ == "__main__":
    main()
