"""Right or silent: logs with channels missing, misnamed, turned over, shifted or cold: ``python -m benchmarks.silent
[seeds] [first seed]``.

Every log's hidden truth is known. Counted: sentences that contradict it, dips with a wrong cause, and logs of which
nothing useful is said. Then trials in which nothing changed but the sensor.
"""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import Analysis, analyse
from basso.formats.write import part_of
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat
from basso.standin.faults import Logger, Mount
from basso.standin.pan import Pan
from basso.standin.scenarios import SCENARIOS, generator, run_setup
from basso.standin.simulate import Setup, TrueDip, true_dips
from basso.sump.shape import BoxPan
from basso.units import DisplayUnits
from basso.words.headline import sentence
from basso.workflow import run_trial
from support import recording_of, score

SESSIONS = ("left", "right", "braking", "high-rpm", "hot-oil", "healthy", "launch")
NAMES = {
    "German": (
        "Zeit [s]",
        "Drehzahl [1/min]",
        "Öldruck [psi]",
        "Öltemperatur [°C]",
        "a_quer [g]",
        "a_längs [g]",
        "v_Fzg [km/h]",
    ),
    "French": (
        "Temps [s]",
        "Régime moteur [tr/min]",
        "Pression d'huile [psi]",
        "Température huile [°C]",
        "Acc. latérale [g]",
        "Acc. longitudinale [g]",
        "Vitesse [km/h]",
    ),
    "Italian": (
        "Tempo [s]",
        "Giri motore",
        "Pressione olio [psi]",
        "Temp. olio [°C]",
        "Acc laterale [g]",
        "Acc longitudinale [g]",
        "Velocità [km/h]",
    ),
    "Spanish": (
        "Tiempo [s]",
        "Revoluciones [rpm]",
        "Presión aceite [psi]",
        "Temp. aceite [°C]",
        "Aceleración lateral [g]",
        "Aceleración longitudinal [g]",
        "Velocidad [km/h]",
    ),
    "short": ("t [s]", "Nmot", "EOP [psi]", "EOT [°C]", "Gy [g]", "Gx [g]", "v_kmh"),
    "numbered g": ("Time [s]", "RPM", "Oil P [psi]", "Oil T [°C]", "CH4 [g]", "CH5 [g]", "Speed [km/h]"),
    "numbered": ("Time [s]", "RPM", "Oil P [psi]", "CH3 [°C]", "CH4 [g]", "CH5 [g]", "CH6 [km/h]"),
    "bare": ("Time [s]", "RPM", "Oil P [psi]", "A3", "A4", "A5", "A6"),
}
REMOVED = {
    "no lateral g": (Role.LATERAL_G,),
    "no longitudinal g": (Role.LONGITUDINAL_G,),
    "no g": (Role.LATERAL_G, Role.LONGITUDINAL_G),
    "no oil temperature": (Role.OIL_TEMP,),
    "no speed": (Role.SPEED,),
    "no g, no speed": (Role.LATERAL_G, Role.LONGITUDINAL_G, Role.SPEED),
    "no lateral g, no oil temperature": (Role.LATERAL_G, Role.OIL_TEMP),
    "no speed, no longitudinal g": (Role.SPEED, Role.LONGITUDINAL_G),
}
OTHERS = (
    "turned over",
    "turned over, path",
    "as it is",
    "path",
    "zero +20, never off",
    "gain 1.05",
    "never warm",
    "m/s² as g",
)
FAULTS = (*REMOVED, *NAMES, *OTHERS)


@dataclass(frozen=True)
class Row:
    fault: str
    session: str
    seed: int
    contradicts: str
    wrong: int
    paired: int
    useful: bool
    words: str


def _setup(session: str, seed: int) -> tuple[Setup, Logger]:
    scenario = SCENARIOS[f"truth-{session}"]
    setup, logger = scenario.setup(generator("silent", seed))
    circuit = random_circuit(generator("silent circuit " + session, seed)) if setup.circuit is not None else None
    if session in ("launch",):
        circuit = setup.circuit
    return replace(setup, circuit=circuit), replace(logger, pressure_unit="psi", units_row=False)


def made(job: tuple[str, str, int]) -> Row:
    """One log: what is said of it against the truth."""
    fault, session, seed = job
    setup, logger = _setup(session, seed)
    if fault.startswith("turned over"):
        logger = replace(logger, mount=Mount(flip_lateral=True), gps="path" in fault)
    elif fault == "path":
        logger = replace(logger, gps=True)
    elif fault == "m/s² as g":
        logger = replace(logger, mount=Mount(scale=9.80665))
    simulated, csv = run_setup(setup, logger, generator("silent " + session, seed))
    truth = true_dips(simulated)
    if fault in NAMES:
        head, _, rest = csv.decode().partition("\n")
        names = list(NAMES[fault])
        csv = (",".join([*names, *head.split(",")[len(names) :]]) + "\n" + rest).encode()
    recording = recording_of(csv)
    if fault in REMOVED:
        recording = recording.with_channels(tuple(c for c in recording.channels if c.role not in REMOVED[fault]))
    elif fault.startswith("zero"):
        recording = shifted(recording, 20.0, 1.0, False)
    elif fault == "gain 1.05":
        recording = shifted(recording, 0.0, 1.05, True)
    elif fault == "never warm":
        recording = cold(recording)
        truth = []
    a = analyse(recording)
    words = sentence(a, DisplayUnits())
    pairs = score(truth, a.dips).pairs
    wrong = sum(not _agrees(t.cause, d.cause.name) for t, d in pairs)
    return Row(
        fault,
        session,
        seed,
        contradicted(a, words, truth, fault),
        wrong,
        len(pairs),
        useful(a, words, truth, fault),
        words,
    )


def _agrees(true: str, told: str) -> bool:
    return told in (true, "unknown") or (told == "turn" and true in ("left_turn", "right_turn"))


CLAIMS = {
    "Left turns": "left_turn",
    "Right turns": "right_turn",
    "Turns to one side": "turn",
    "Braking over": "braking",
    "Acceleration over": "acceleration",
    "sags at high rpm": "high_rpm",
    "thin and hot": "hot_oil",
    "low everywhere": "low_everywhere",
    "The sensor, not the oil": "sensor",
}


def contradicted(a: Analysis, words: str, truth: list[TrueDip], fault: str) -> str:
    """What is said and is not so; "" where nothing is."""
    causes = Counter(t.cause for t in truth)
    turns = causes["left_turn"] + causes["right_turn"]
    for said, cause in CLAIMS.items():
        if said in words and not (turns if cause == "turn" else causes[cause]):
            return f"says {cause}, true are {dict(causes)}"
    long = [t for t in truth if t.end_s - t.start_s > 0.5]
    shifted_up = fault.startswith(("zero", "gain"))
    if words.startswith("No dips") and len(long) > 2 and not shifted_up and "could be judged" not in words:
        return f"says no dips, {len(long)} long ones are true"
    if "0.00 g" in words or (a.lateral_g is None and "lies level" in words):
        return "speaks of a g that is not there"
    return ""


def useful(a: Analysis, words: str, truth: list[TrueDip], fault: str) -> bool:
    """Something that helps: the dips found, or why not and what would tell."""
    if any(
        x in words
        for x in (
            "not recognised",
            "cannot be told without",
            "Nothing could be judged",
            "No verdict",
            "could be judged",
        )
    ):
        return True
    if not truth:
        return True
    s = score(truth, a.dips)
    return s.f1 > 0.7 or fault.startswith(("zero", "gain"))


def shifted(recording: Recording, offset: float = 0.0, gain: float = 1.0, engine_off: bool = True) -> Recording:
    """The drive as a sensor reads it that is off, perhaps without the stretch that shows its zero."""
    rpm = recording.channel(Role.RPM)
    assert rpm is not None
    if not engine_off:
        running = rpm.time_s[rpm.values > 900.0]
        recording = part_of(recording, float(running[0]) + 0.5, float(running[-1]) - 0.5)
    channels = tuple(
        replace(c, values=gain * c.values + offset) if c.role is Role.OIL_PRESSURE else c for c in recording.channels
    )
    return replace(recording.with_channels(channels), content_hash=f"{recording.content_hash}{offset}{gain}")


def cold(recording: Recording) -> Recording:
    """A session that never warms: its oil temperature 50 °C lower."""
    return recording.with_channels(
        tuple(
            replace(c, values=np.minimum(c.values - 50.0, 55.0)) if c.role is Role.OIL_TEMP else c
            for c in recording.channels
        )
    )


COOL, WARM = Heat(start_c=86.0, ambient_c=15.0), Heat(start_c=90.0, ambient_c=22.0)
_OFFSET_PAN = BoxPan(0.26, 0.20, 0.16, (0.0, 0.055, 0.008))
SHIFTS = (
    (14.0, 1.0, False),
    (25.0, 1.0, False),
    (-25.0, 1.0, False),
    (-10.0, 1.0, False),
    (0.0, 1.04, False),
    (0.0, 0.94, False),
    (0.0, 1.06, True),
    (0.0, 0.96, True),
)


def trial(job: tuple[tuple[float, float, bool], float, int]) -> tuple[bool, str, bool]:
    """A pair of runs read by a sensor that is off on side B: (something changed, verdict, covered)."""
    (offset, gain, engine_off), more, seed = job
    rng = generator("silent trial", seed)
    circuit = random_circuit(rng)
    heats = (COOL, WARM) if seed % 2 else (COOL, COOL)
    sides = []
    for tag, fill, heat in (("a", 4.2, heats[0]), ("b", 4.2 + more, heats[1])):
        setup = Setup(circuit, pan=Pan(shape=_OFFSET_PAN, fill_l=fill), heat=heat, session=Outing(laps=6))
        made_log = recording_of(run_setup(setup, Logger(), generator(f"silent {tag} {more}", seed))[1])
        sides.append(shifted(made_log, offset if tag == "b" else 0.0, gain if tag == "b" else 1.0, engine_off))
    c = run_trial("A", [sides[0]], "B", [sides[1]])
    e = c.effect_kpa
    return more > 0, c.verdict, e is not None and (more > 0 or e.low <= 0.0 <= e.high)


def main() -> None:
    """Run everything on two processes."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 2
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 901
    jobs = [(f, s, first + i) for f in FAULTS for s in SESSIONS for i in range(seeds)]
    trials = [(s, more, first + i) for s in SHIFTS for more in (0.0, 0.0, 0.3) for i in range(2 * seeds)]
    with ProcessPoolExecutor(2) as pool:
        run: Callable = pool.map  # type: ignore[type-arg]
        rows = list(run(made, jobs))
        judged = list(run(trial, list(dict.fromkeys(trials))))
    print(f"{'fault':<36}{'logs':>6}{'contradict':>12}{'wrong cause':>13}{'useful':>9}")
    for fault in FAULTS:
        mine = [r for r in rows if r.fault == fault]
        wrong, paired = sum(r.wrong for r in mine), sum(r.paired for r in mine)
        print(
            f"{fault:<36}{len(mine):>6}{sum(bool(r.contradicts) for r in mine):>12}{wrong:>8}/{paired:<5}"
            f"{sum(r.useful for r in mine) / len(mine):>8.0%}"
        )
    for r in rows:
        if r.contradicts or not r.useful:
            print(f"  {r.fault} · {r.session} · {r.seed}: {r.contradicts or 'nothing useful'}\n    {r.words[:220]}")
    print(
        f"{len(rows)} logs: {sum(bool(r.contradicts) for r in rows)} contradict, useful in "
        f"{sum(r.useful for r in rows) / len(rows):.1%}"
    )
    still = [v for changed, v, _ in judged if not changed]
    moved = [v for changed, v, _ in judged if changed]
    false = sum(v in ("better", "worse") for v in still)
    covered = sum(c for changed, _, c in judged if not changed)
    print(
        f"shifted sensor, nothing changed: {false}/{len(still)} false verdicts, interval holds nothing "
        f"in {covered}/{len(still)}"
    )
    print(f"shifted sensor, +0.3 L: {Counter(moved)}")


if __name__ == "__main__":
    main()
