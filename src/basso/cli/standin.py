"""``basso standin OUT.csv --scenario NAME``: a log from the simulated car that ships with Basso."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from basso.errors import InputError

if TYPE_CHECKING:
    from basso.standin.simulate import Simulated

HELP = "write a log from the simulated car that ships with Basso"
DESCRIPTION = """\
Write a log as a logger in the simulated car would, or send the drive on a bus as its logger would. The same seed gives
the same bytes. A recording's time is the bus's clock: sent ten times faster, the drive is recorded ten times shorter.

  basso standin --list
  basso standin run.csv --scenario baseline-1 --seed 3 --laps 5
  basso standin --dbc standin.dbc
  basso standin --stream --bus udp_multicast --channel 239.74.163.2 \\
      --scenario baseline-1"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("out", metavar="OUT.csv", nargs="?", help="where to write")
    parser.add_argument("--scenario", metavar="NAME", help="which session; --list names them")
    parser.add_argument("--seed", type=int, default=None, metavar="N", help="default: the demo log's own seed, or 1")
    parser.add_argument("--laps", type=int, default=None, metavar="N", help="laps or runs; default: the scenario's own")
    parser.add_argument("--list", action="store_true", help="list the scenarios")
    parser.add_argument("--dbc", metavar="OUT.dbc", help="write the database of the bus")
    group = parser.add_argument_group("on a bus")
    group.add_argument("--stream", action="store_true", help="send the drive on a bus instead of writing a log")
    group.add_argument("--bus", metavar="INTERFACE", help="as python-can names it: udp_multicast, socketcan, …")
    group.add_argument("--channel", metavar="CHANNEL", help="as python-can names it: 239.74.163.2, can0, …")
    group.add_argument("--speed", type=float, default=1.0, metavar="N", help="times real time (default 1)")


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
    if arguments.dbc:
        from basso.standin.bus import DATABASE

        write_whole(Path(arguments.dbc), DATABASE.encode())
        if not arguments.scenario:
            return 0
    if not arguments.scenario or not (arguments.out or arguments.stream):
        raise InputError("standin needs an output file and --scenario NAME; --list names the scenarios.")
    if arguments.stream and not (arguments.bus and arguments.channel):
        raise InputError("--stream: on which bus? Add --bus INTERFACE and --channel CHANNEL, as python-can names them.")
    if not 0.01 <= arguments.speed <= 1000.0:
        raise InputError(f"--speed {arguments.speed:g}: give 0.01 to 1000 times real time.")
    if arguments.laps is not None and not 1 <= arguments.laps <= 200:
        raise InputError(f"--laps {arguments.laps}: give 1 to 200.")
    if arguments.seed is not None and arguments.seed < 0:
        raise InputError(f"--seed {arguments.seed}: give 0 or more.")
    seed = arguments.seed if arguments.seed is not None else scenario(arguments.scenario).demo_seed or 1
    simulated, data = simulate(arguments.scenario, seed, arguments.laps)
    if arguments.out:
        write_whole(Path(arguments.out), data)
    return _stream(arguments, simulated, seed) if arguments.stream else 0


def _stream(arguments: argparse.Namespace, simulated: Simulated, seed: int) -> int:
    """Send the drive."""
    import can

    from basso.formats.live_bus import open_bus
    from basso.standin.bus import frames_of
    from basso.standin.scenarios import generator
    from basso.standin.stream import send_frames

    frames = frames_of(simulated, generator("bus", seed))
    bus = open_bus(arguments.bus, arguments.channel)
    try:
        send_frames(bus, frames, arguments.speed)
    except (can.CanError, OSError) as error:
        raise InputError(f"--bus {arguments.bus} --channel {arguments.channel}: takes no more ({error}).") from None
    finally:
        bus.shutdown()
    return 0
