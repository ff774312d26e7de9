"""``basso standin OUT.csv --scenario NAME``: a log from the simulated car that ships with Basso."""

from __future__ import annotations

import argparse
from pathlib import Path

from basso.errors import InputError

HELP = "write a log from the simulated car that ships with Basso"
DESCRIPTION = """\
Write a log as a logger in the simulated car would. The same seed gives the same bytes.

  basso standin --list
  basso standin run.csv --scenario baseline-1 --seed 3 --laps 5"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("out", metavar="OUT.csv", nargs="?", help="where to write")
    parser.add_argument("--scenario", metavar="NAME", help="which session; --list names them")
    parser.add_argument("--seed", type=int, default=None, metavar="N", help="default: the demo log's own seed, or 1")
    parser.add_argument("--laps", type=int, default=None, metavar="N", help="laps or runs; default: the scenario's own")
    parser.add_argument("--list", action="store_true", help="list the scenarios")


def run(arguments: argparse.Namespace) -> int:
    """Simulate and write."""
    from basso.files import write_whole
    from basso.standin.scenarios import SCENARIOS, scenario
    from basso.standin.scenarios import run as simulate

    if arguments.list:
        width = max(map(len, SCENARIOS))
        for name, s in SCENARIOS.items():
            print(f"{name:<{width}}  {s.about}")
        return 0
    if not arguments.out or not arguments.scenario:
        raise InputError("standin needs an output file and --scenario NAME; --list names the scenarios.")
    if arguments.laps is not None and not 1 <= arguments.laps <= 200:
        raise InputError(f"--laps {arguments.laps}: give 1 to 200.")
    if arguments.seed is not None and arguments.seed < 0:
        raise InputError(f"--seed {arguments.seed}: give 0 or more.")
    seed = arguments.seed if arguments.seed is not None else scenario(arguments.scenario).demo_seed or 1
    _, data = simulate(arguments.scenario, seed, arguments.laps)
    write_whole(Path(arguments.out), data)
    return 0
