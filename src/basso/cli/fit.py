"""``basso fit``: the shortest sound chain of parts from a port to a sensor; or which thread a measured one is."""

from __future__ import annotations

import argparse
from pathlib import Path

from basso.cli import logs
from basso.cli.terminal import print_document
from basso.errors import InputError

HELP = "which parts lead from a port to a sensor"
DESCRIPTION = """\
The shortest chain of adapters, tee and flexible line from the engine's port to the sensor in which every joint is
one thread, with parts list, steps and cautions. With --measured: which thread it is.

  basso fit --port "female 1/8 NPT" --sensor "male M10x1" \\
      --switch "male 1/8 NPT"
  basso fit --measured 9.7 0.907 --taper yes"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("--port", metavar="END", help="the engine's open end, such as 'female 1/8 NPT'")
    parser.add_argument("--sensor", metavar="END", help="the sensor's own end, such as 'male M10x1'")
    parser.add_argument("--switch", metavar="END", help="the warning switch's end, where it stays")
    parser.add_argument("--room", type=float, metavar="MM", help="how far rigid parts may stick out of the port, mm")
    parser.add_argument(
        "--place", metavar="PLACE", help="where the port is, such as 'pump outlet': explains a reading there"
    )
    parser.add_argument("--parts", metavar="FILE", help="another parts catalogue, as JSON")
    parser.add_argument(
        "--on-block", action="store_true", help="mount the sensor on the block, without a flexible line"
    )
    parser.add_argument(
        "--measured", nargs=2, type=float, metavar=("MM", "PITCH"), help="outer diameter and pitch of a male thread, mm"
    )
    parser.add_argument("--taper", choices=("yes", "no"), help="with --measured: does it narrow towards its end?")
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")


def run(arguments: argparse.Namespace) -> int:
    """Plan, or identify."""
    from basso.fitting.places import places
    from basso.fitting.planner import Plan, plan_fit
    from basso.fitting.threads import identify, parse_end
    from basso.memory.parts import Parts

    if arguments.measured is not None:
        diameter_mm, pitch_mm = arguments.measured
        found = identify(diameter_mm, pitch_mm, {"yes": True, "no": False}.get(arguments.taper))
        names = [t.name for t in found.candidates]
        if arguments.json:
            print_document({"schema": "basso.thread/1", "candidates": names, "caution": found.caution})
        else:
            print(", ".join(names) or "none")
            if found.caution:
                print(found.caution)
        return 0
    if not arguments.port or not arguments.sensor:
        raise InputError("fit: name both --port and --sensor, or --measured with a diameter and a pitch.")
    switch = parse_end(arguments.switch) if arguments.switch else None
    if arguments.place and arguments.place not in places():
        raise InputError(f"--place '{arguments.place}': use one of {', '.join(places())}.")
    parts = Parts(Path(arguments.parts)).in_use() if arguments.parts else logs.memory().parts.in_use()
    plan: Plan = plan_fit(
        parse_end(arguments.port), parse_end(arguments.sensor), switch, not arguments.on_block, parts, arguments.room
    )
    tells = places()[arguments.place].tells if arguments.place else ""
    if arguments.json:
        print_document(
            {
                "schema": "basso.fit/1",
                "possible": plan.possible,
                "parts": [str(p) for p in plan.parts],
                "overhang_mm": plan.overhang_mm,
                "purchase": plan.purchase,
                "place": arguments.place,
                "place_tells": tells or None,
                "missing": plan.missing,
                "cautions": list(plan.cautions),
                "steps": list(plan.steps),
            }
        )
        return 0
    if tells:
        print(f"At the {arguments.place}: {tells}\n")
    if not plan.possible:
        print(plan.missing)
        return 0
    for number, part in enumerate(plan.parts, 1):
        print(f"{number}. {part}")
    if not plan.parts:
        print("The sensor goes straight into the port.")
    if plan.purchase:
        print(f"Cost and time: {plan.purchase}")
    for heading, lines in (("Steps", plan.steps), ("Beware", plan.cautions)):
        print(f"\n{heading}")
        for line in lines:
            print(f"  {line}")
    return 0
