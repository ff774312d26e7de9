"""The stand-in's logger: rates, noise, quantisation, units, and the faults loggers and wiring have."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from basso.oil.grades import grade
from basso.oil.viscosity import walther
from basso.standin.car import STEP_S
from basso.standin.engine import lagged
from basso.standin.simulate import Simulated
from basso.units import STANDARD_ATMOSPHERE_KPA, UNITS, FloatArray, Unit

_NORTH, _EAST = 45.0, -30.0
"""Where the invented circuits lie: in the middle of an ocean, where there is none."""


@dataclass(frozen=True, slots=True)
class Mount:
    """How the g sensor is fitted, and what its columns claim.

    Attributes:
        swapped: lateral and longitudinal stand in each other's column.
        flip_lateral, flip_longitudinal: turned over.
        yaw_deg: turned about the vertical, to the left.
        lateral_offset_g, longitudinal_offset_g: read at rest on level ground.
        scale: what is written is this times the g in the unit of the heading.
        late_s: the sensor's box has its own clock, this much behind; from half-time on ``slip_s`` more.
    """

    swapped: bool = False
    flip_lateral: bool = False
    flip_longitudinal: bool = False
    yaw_deg: float = 0.0
    lateral_offset_g: float = 0.0
    longitudinal_offset_g: float = 0.0
    scale: float = 1.0
    late_s: float = 0.0
    slip_s: float = 0.0

    def seen(self, lateral_g: FloatArray, longitudinal_g: FloatArray) -> tuple[FloatArray, FloatArray]:
        """What stands in the two columns, of what the car did; shape (n,) each, every 10 ms."""
        lateral, longitudinal = (self._late(v) for v in (lateral_g, longitudinal_g))
        turn = np.radians(self.yaw_deg)
        along = np.cos(turn) * longitudinal + np.sin(turn) * lateral + self.longitudinal_offset_g
        across = np.cos(turn) * lateral - np.sin(turn) * longitudinal + self.lateral_offset_g
        across, along = (-across if self.flip_lateral else across), (-along if self.flip_longitudinal else along)
        across, along = (along, across) if self.swapped else (across, along)
        return self.scale * across, self.scale * along

    def _late(self, values: FloatArray) -> FloatArray:
        half = values.size // 2
        first, second = (round(s / STEP_S) for s in (self.late_s, self.late_s + self.slip_s))
        at = np.arange(values.size)
        return np.asarray(values[np.clip(np.where(at < half, at - first, at - second), 0, values.size - 1)])


@dataclass(frozen=True, slots=True)
class Logger:
    """How a logger writes what its sensors see.

    Attributes:
        rate_hz: rows a second; must divide 100.
        pressure_unit, temperature_unit, acceleration_unit, speed_unit: symbols of :data:`basso.units.UNITS`.
        clock: write time as ``HH:MM:SS.fff`` instead of seconds.
        units_row: units in a row of their own instead of in the heading.
        absolute: the pressure sensor counts from vacuum.
        zero_kpa: what the pressure sensor adds.
        noise_kpa: of the pressure, standard deviation.
        spikes_per_min: single readings that are nonsense.
        dropouts_per_min: the connector opens for 0.05 to 1.2 s and the reading falls to the rail.
        delay_s: the pressure comes late (long thin line).
        filter_s: time constant of a first-order filter between the sensor and the file, which its noise passes too.
        pressure_slip_s: the pressure's box has a clock of its own, which falls back by this at half-time.
        stands: columns ("Engine speed") whose value stands still from 0.4 to 0.6 of the session.
        gps: write latitude and longitude.
        extra_channels: this many more columns, for size.
        pressure_scale: the sensor's range was entered wrong: what is written is this times the pressure.
        steps_kpa: the converter's steps.
        vibration_kpa: what the sensor shakes by at 7000 rpm, growing with the square of the rpm.
        load_kpa: what the reading falls by while fan and lights are on; their supply voltage is logged.
        flat_from: the pressure's last value is written again from this share of the session on.
        temperature_lag_s: of the oil temperature's sensor.
        temperature_stands_c: the oil temperature's wire is open and this is written throughout.
        airstream_c: the temperature's sensor sits on the cooler: read lower by this at 60 m/s.
        mount: of the g sensor.
        filter_kpa, cooler_kpa: what they take at 6000 rpm with oil of 15 mm²/s; over 0 the pressures about them are
            logged.
        bypass_kpa: the filter's bypass opens at this drop.
    """

    rate_hz: int = 20
    pressure_unit: str = "psi"
    temperature_unit: str = "°C"
    acceleration_unit: str = "g"
    speed_unit: str = "km/h"
    clock: bool = False
    units_row: bool = False
    absolute: bool = False
    zero_kpa: float = 0.0
    noise_kpa: float = 2.2
    spikes_per_min: float = 0.0
    dropouts_per_min: float = 0.0
    delay_s: float = 0.0
    filter_s: float = 0.0
    pressure_slip_s: float = 0.0
    stands: tuple[str, ...] = ()
    gps: bool = False
    extra_channels: int = 0
    pressure_scale: float = 1.0
    steps_kpa: float = 0.0
    vibration_kpa: float = 0.0
    load_kpa: float = 0.0
    flat_from: float = 1.0
    temperature_lag_s: float = 3.0
    temperature_stands_c: float | None = None
    airstream_c: float = 0.0
    mount: Mount = field(default_factory=Mount)
    filter_kpa: float = 0.0
    cooler_kpa: float = 0.0
    bypass_kpa: float = 1e9


def write_csv(simulated: Simulated, logger: Logger, rng: np.random.Generator) -> bytes:
    """The session as the logger writes it: CSV bytes, the same for the same generator state."""
    every = round(1.0 / STEP_S / logger.rate_hz)
    d = simulated.drive
    rows = slice(0, d.time_s.size, every)
    n = d.time_s[rows].size

    def noisy(values: FloatArray, sigma: float) -> FloatArray:
        return values[rows] + rng.normal(0.0, sigma, n)

    pressure = simulated.pressure_kpa
    if logger.delay_s:
        steps = round(logger.delay_s / STEP_S)
        pressure = np.concatenate([np.full(steps, pressure[0]), pressure[:-steps]])
    if logger.filter_s:
        pressure = lagged(pressure, logger.filter_s, float(pressure[0]))
    if logger.pressure_slip_s:
        at = np.arange(pressure.size)
        pressure = pressure[np.where(at < at.size // 2, at, at - round(logger.pressure_slip_s / STEP_S))]
    noise = rng.normal(0.0, logger.noise_kpa, n)
    if logger.vibration_kpa:
        noise += logger.vibration_kpa * (d.rpm[rows] / 7000.0) ** 2 * rng.normal(0.0, 1.0, n)
    if logger.filter_s:
        noise = lagged(noise, logger.filter_s, step_s=1.0 / logger.rate_hz)
    seen = pressure[rows] + noise + logger.zero_kpa
    seen += STANDARD_ATMOSPHERE_KPA - 0.6 if logger.absolute else 0.0
    load = _load(n, logger.rate_hz, rng) if logger.load_kpa else np.zeros(n)
    seen = np.maximum(logger.pressure_scale * (seen - logger.load_kpa * load), -3.0)
    seen = _with_faults(seen, logger, n, rng)
    if logger.steps_kpa:
        seen = np.round(seen / logger.steps_kpa) * logger.steps_kpa
    flat = round(logger.flat_from * n)
    seen[flat:] = seen[min(flat, n - 1)]
    unit = UNITS
    p_unit, t_unit = unit[logger.pressure_unit], unit[logger.temperature_unit]
    a_unit, v_unit = unit[logger.acceleration_unit], unit[logger.speed_unit]
    temperature = lagged(simulated.temperature_c, logger.temperature_lag_s, float(simulated.temperature_c[0]))
    if logger.airstream_c:
        temperature = temperature - logger.airstream_c * lagged(d.speed_mps / 60.0, 4.0, 0.0)
    if logger.temperature_stands_c is not None:
        temperature = np.full(temperature.shape, logger.temperature_stands_c)
    lateral, longitudinal = logger.mount.seen(d.lateral_g, d.longitudinal_g)
    shaken_c = 0.12 if logger.temperature_stands_c is None else 0.0
    columns: list[tuple[str, str, list[str]]] = [
        ("Time", "s", _time_cells(d.time_s[rows], logger.clock)),
        ("Engine speed", "rpm", _cells(np.maximum(noisy(d.rpm, 6.0), 0.0) * (d.rpm[rows] > 0), 0)),
        ("Oil pressure", p_unit.symbol, _cells(p_unit.from_base(seen), _decimals(p_unit.symbol))),
        ("Oil temp", t_unit.symbol, _cells(t_unit.from_base(noisy(temperature, shaken_c)), 1)),
        ("Lateral acc", a_unit.symbol, _cells(a_unit.from_base(noisy(lateral, 0.018 * logger.mount.scale)), 2)),
        (
            "Longitudinal acc",
            a_unit.symbol,
            _cells(a_unit.from_base(noisy(longitudinal, 0.018 * logger.mount.scale)), 2),
        ),
        ("Speed", v_unit.symbol, _cells(v_unit.from_base(np.maximum(noisy(d.speed_mps, 0.06), 0.0)), 1)),
        ("Throttle", "%", _cells(100.0 * d.throttle[rows], 0)),
        ("Lap", "", _cells(d.lap[rows], 0)),
    ]
    if logger.clock:
        columns[0] = ("Time", "", columns[0][2])
    if simulated.bottle_kpa is not None:
        gas = np.maximum(noisy(simulated.bottle_kpa, 2.0), 0.0)
        columns.append(("Accumulator pressure", p_unit.symbol, _cells(p_unit.from_base(gas), _decimals(p_unit.symbol))))
    if logger.filter_kpa or logger.cooler_kpa:
        columns += _along_the_way(simulated, logger, rows, noisy, p_unit)
    if logger.load_kpa:
        columns.append(("Battery voltage", "V", _cells(13.9 - 0.5 * load + rng.normal(0.0, 0.03, n), 2)))
    if logger.gps:
        lat = _NORTH + d.y_m[rows] / 111_195.0
        lon = _EAST + d.x_m[rows] / (111_195.0 * np.cos(np.radians(_NORTH)))
        columns += [("Latitude", "°", _cells(lat, 6)), ("Longitude", "°", _cells(lon, 6))]
    for name, _, cells in columns:
        if name in logger.stands:
            cells[round(0.4 * n) : round(0.6 * n)] = [cells[round(0.4 * n)]] * (round(0.6 * n) - round(0.4 * n))
    for i in range(logger.extra_channels):
        walk = np.cumsum(rng.normal(0, 0.05, n)) + 10.0 * (i + 1)
        columns.append((f"Aux {i + 1}", "", _cells(walk, 2)))
    return _joined(columns, logger.units_row)


def _along_the_way(
    simulated: Simulated, logger: Logger, rows: slice, noisy: Callable[[FloatArray, float], FloatArray], unit: Unit
) -> list[tuple[str, str, list[str]]]:
    """Pressures after pump, cooler and filter: the gallery's and what the parts take, of which much is laminar."""
    speed = simulated.drive.rpm / 6000.0
    thick = walther(grade("10W-40")).viscosity_mm2ps(simulated.temperature_c) / 15.0
    taken = 0.7 * speed * thick + 0.3 * speed**2
    after_filter = simulated.pressure_kpa
    after_cooler = after_filter + np.minimum(logger.filter_kpa * taken, logger.bypass_kpa)
    after_pump = after_cooler + logger.cooler_kpa * taken
    places = {"Oil pressure pump out": after_pump, "Oil pressure cooler out": after_cooler}
    cells = {n: _cells(unit.from_base(noisy(v, logger.noise_kpa)), _decimals(unit.symbol)) for n, v in places.items()}
    return [(name, unit.symbol, column) for name, column in cells.items()]


def _load(n: int, rate_hz: int, rng: np.random.Generator) -> FloatArray:
    """Fan and lights, off (0) or on (1), switched every half minute or so."""
    on, at = np.zeros(n), 0
    while at < n:
        off, length = (round(rng.uniform(10.0, 45.0) * rate_hz) for _ in range(2))
        on[at + off : at + off + length] = 1.0
        at += off + length
    return on


def _with_faults(seen: FloatArray, logger: Logger, n: int, rng: np.random.Generator) -> FloatArray:
    minutes = n / logger.rate_hz / 60.0
    if logger.spikes_per_min:
        for i in rng.integers(2, n - 2, rng.poisson(logger.spikes_per_min * minutes)):
            seen[i] = 1000.0 if rng.random() < 0.5 else 0.0
    if logger.dropouts_per_min:
        for i in rng.integers(2, n - 2, rng.poisson(logger.dropouts_per_min * minutes)):
            length = max(1, round(rng.uniform(0.05, 1.2) * logger.rate_hz))
            seen[i : i + length] = 0.0
    return seen


def _decimals(symbol: str) -> int:
    return {"psi": 1, "bar": 3, "kPa": 1}.get(symbol, 1)


def _cells(values: FloatArray, decimals: int) -> list[str]:
    form = f"%.{decimals}f"
    cells = ("\n".join([form] * values.size) % tuple(values.tolist())).split("\n")  # one by one takes twice as long
    zero = form % -0.0
    return [c[1:] if c == zero else c for c in cells] if zero.startswith("-") else cells


def _time_cells(time_s: FloatArray, clock: bool) -> list[str]:
    if not clock:
        return _cells(time_s, 2)
    start = 10 * 3600 + 24 * 60 + 7
    stamp: Callable[[float], str] = lambda t: f"{int(t // 3600):02d}:{int(t % 3600 // 60):02d}:{t % 60:06.3f}"  # noqa: E731
    return [stamp(start + round(t, 3)) for t in time_s.tolist()]


def _joined(columns: list[tuple[str, str, list[str]]], units_row: bool) -> bytes:
    if units_row:
        head = [",".join(name for name, _, _ in columns), ",".join(unit for _, unit, _ in columns)]
    else:
        head = [",".join(f"{name} [{unit}]" if unit else name for name, unit, _ in columns)]
    rows = [",".join(cells) for cells in zip(*(c for _, _, c in columns), strict=True)]
    return ("\n".join(head + rows) + "\n").encode()
