"""What each check of the Sensors station rests on, as lines and points; worked out without Qt."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from basso.analysis import Analysis
from basso.oilway.drops import REFERENCE_MM2PS, REFERENCE_RPM, Change, Drop
from basso.pressure.earlier import expected_before
from basso.recording.channel import Channel
from basso.recording.recording import frame_on
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.trust.axes import references, smooth, thinned_on_g
from basso.trust.clock import lags_of_g
from basso.trust.delay import delays_over_time
from basso.trust.oil_way import ORDER
from basso.trust.side import SIDE_CHECK, first_turn
from basso.trust.supply import left_over, voltage_of
from basso.trust.verdict import Check
from basso.units import DisplayUnits, FloatArray

_FEW_S, _FEW_LEVELS = 4.0, 6
_MOST_POINTS = 900


@dataclass(frozen=True, slots=True)
class Series:
    """One line or cloud of points; ``tone`` is a colour of the palette."""

    name: str
    x: FloatArray
    y: FloatArray
    points: bool = False
    tone: str = "ink"
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Evidence:
    """A drawing of what a check rests on. ``spans``: (start, end) in seconds of the log, to jump to."""

    title: str
    x_label: str
    y_label: str
    series: tuple[Series, ...]
    level: float | None = None
    """A value on the y axis that is marked: where it should be."""
    spans: tuple[tuple[float, float], ...] = field(default_factory=tuple)
    least_span: float = 0.0
    """The y axis spans at least this much, so that nothing is made a mountain."""
    counts: bool = False
    """The x axis counts: whole numbers only."""


def evidence(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    """The drawing for a check; None where there is nothing to draw."""
    made: dict[str, Callable[[Analysis, Check, DisplayUnits], Evidence | None]] = {
        "zero": _zero,
        "zero_trend": _zero_trend,
        "sensor_line": _delay,
        "sensor_mount": _noise,
        "spikes": _spikes,
        "delay": _delay,
        "clock": _clock,
        "vibration": _noise,
        "steps": _steps,
        "g_swapped": _axes,
        "g_turned": _axes,
        "lateral_g_sign": _axes,
        "longitudinal_g_sign": _axes,
        "lateral_g_offset": _axes,
        "longitudinal_g_offset": _axes,
        "lateral_g_unit": _axes,
        "longitudinal_g_unit": _axes,
        "scale": _scale,
        "supply": _supply,
        "pressure_clock": _pressure_clock,
        "references": _along_the_way,
        "order": _along_the_way,
        "update_rate": _steps,
        "sensor_range": _range,
        "oil_temp_flat": _temperature,
        "oil_temp_lag": _temperature,
        "oil_temp_place": _temperature,
        "oil_drift": _drift,
        "oil_temp": _drift,
    }
    draw = made.get(check.id) or (_stretch if check.id.endswith(("_stuck", "_bounds")) else None)
    return draw(a, check, units) if draw is not None else None


def _pressure(a: Analysis, units: DisplayUnits) -> tuple[Channel | None, FloatArray, FloatArray]:
    """The pressure channel, as logged and as corrected, in the units shown; shape (n,)."""
    raw, right = (r.channel(Role.OIL_PRESSURE) for r in (a.recording, a.corrected))
    if raw is None or right is None:
        return None, np.empty(0), np.empty(0)
    return raw, np.asarray(units.pressure.from_base(raw.values)), np.asarray(units.pressure.from_base(right.values))


def _about(time_s: FloatArray, start_s: float, end_s: float) -> slice:
    return slice(int(np.searchsorted(time_s, start_s)), int(np.searchsorted(time_s, end_s)))


def _zero(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    channel, raw, right = _pressure(a, units)
    if channel is None or not a.recording.has(Role.RPM):
        return None
    frame = frame_on(a.recording, Role.OIL_PRESSURE)
    stops = [r for r in runs_of(frame.filled(Role.RPM, np.nan) < 60.0) if r[1] - r[0] >= 3]
    if not stops:
        return None
    first, last = max(stops, key=lambda r: r[1] - r[0])
    t = channel.time_s
    start, end = float(t[first]), float(t[last - 1])
    part = _about(t, start - 2.0, min(end, start + 30.0) + 4.0)
    series = [Series("as logged", t[part], raw[part], tone="soft")]
    if check.correction is not None:
        series.append(Series("corrected", t[part], right[part]))
    return Evidence(
        "With the engine stopped",
        "time, s",
        f"oil pressure, {units.pressure.symbol}",
        tuple(series),
        0.0,
        ((start, end),),
    )


def _zero_trend(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    """The zero session by session, this log the last."""
    earlier = a.options.known.earlier if a.options.known is not None else ()
    before = [e.zero_kpa for e in earlier if e.zero_kpa is not None and e.same_sensor]
    now = next((c.measured for c in a.checks if c.id == "zero"), None)
    if not before or now is None:
        return None
    shown = [units.pressure.difference_from_base(z) for z in (*before, now)]
    at = np.arange(1.0, len(shown) + 1.0)
    return Evidence(
        "Read with the engine stopped, before anything was taken off",
        "session, oldest first",
        f"zero, {units.pressure.symbol}",
        (
            Series("earlier", at[:-1], np.array(shown[:-1]), True, "soft"),
            Series("this log", at[-1:], np.array(shown[-1:]), True, "ink"),
        ),
        0.0,
        least_span=4.0 * units.pressure.difference_from_base(3.0),
        counts=True,
    )


def _spikes(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    channel, raw, right = _pressure(a, units)
    if channel is None or check.correction is None or not check.correction.samples.size:
        return None
    t, wrong = channel.time_s, np.zeros(raw.size, dtype=bool)
    wrong[check.correction.samples] = True
    runs = runs_of(wrong, join=2)
    spans = tuple((float(t[s]), float(t[min(e, t.size - 1)])) for s, e in runs)
    part = _about(t, spans[0][0] - 1.5, spans[0][1] + 1.5)
    at = np.flatnonzero(wrong[part]) + part.start
    return Evidence(
        f"The first of {len(runs)}",
        "time, s",
        f"oil pressure, {units.pressure.symbol}",
        (Series("kept", t[part], right[part]), Series("left out", t[at], raw[at], True, "below")),
        None,
        spans,
    )


def _delay(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    channel, raw, right = _pressure(a, units)
    moved = a.corrected.channel(Role.OIL_PRESSURE)
    if channel is None or moved is None:
        return None
    frame = frame_on(a.recording, Role.OIL_PRESSURE)
    rpm = frame.filled(Role.RPM)
    ahead = max(1, round(0.5 / max(frame.step_s, 1e-3)))
    change = np.abs(rpm[ahead:] - rpm[:-ahead])
    at = float(frame.time_s[int(np.argmax(change))])
    part = _about(channel.time_s, at - 2.0, at + 3.0)

    def unit_span(values: FloatArray) -> FloatArray:
        low, high = np.nanmin(values), np.nanmax(values)
        return np.asarray((values - low) / max(float(high - low), 1e-9))

    series = [
        Series("engine speed", channel.time_s[part], unit_span(rpm[part]), tone="soft"),
        Series("pressure as logged", channel.time_s[part], unit_span(raw[part]), tone="ink"),
    ]
    if check.correction is not None:
        series.append(Series("corrected", moved.time_s[part], unit_span(right[part]), tone="oil"))
    return Evidence(
        "A quick change of engine speed, each from its least to its most",
        "time, s",
        "",
        tuple(series),
        None,
        ((at - 2.0, at + 3.0),),
    )


def _clock(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    frame = thinned_on_g(a.recording)
    found = lags_of_g(frame) if frame is not None else None
    if found is None:
        return None
    series = (Series("lag, window by window", found.time_s, found.lag_s, True, "ink"),)
    return Evidence("How late the g comes", "time, s", "seconds after speed and path", series, 0.0)


def _pressure_clock(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    time_s, delay_s = delays_over_time(a.recording)
    at = a.recording.channel(Role.OIL_PRESSURE)
    if time_s.size == 0 or at is None or check.correction is None:
        return None
    when = float(at.time_s[check.correction.samples[0]])
    series = (Series("delay, stretch by stretch", time_s, delay_s, True, "ink"),)
    return Evidence(
        "How late the pressure follows the engine speed",
        "time, s",
        "seconds after the engine speed",
        series,
        0.0,
        ((when - 5.0, when + 5.0),),
    )


def _supply(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    voltage = voltage_of(a.recording)
    found = left_over(frame_on(a.recording, Role.OIL_PRESSURE), voltage) if voltage is not None else None
    if found is None:
        return None
    every = max(1, found.kpa.size // _MOST_POINTS)
    volts, kpa = found.volts[::every], found.kpa[::every] / units.pressure.factor
    series = [Series("", volts, kpa, True, "soft")]
    if check.correction is not None:
        ends = np.array([volts.min(), volts.max()])
        series.append(Series("what moves with it", ends, ends * check.correction.value / units.pressure.factor))
    return Evidence(
        "What engine speed and oil temperature leave of the pressure",
        "supply voltage against its mean, V",
        f"left over, {units.pressure.symbol}",
        tuple(series),
        0.0,
    )


def _drift(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    """What normal followed where no oil temperature told."""
    if a.drift is None:
        return None
    more = 100.0 * (np.exp(a.drift.thicker) - 1.0)
    series = (Series("by calm running", a.drift.time_s, more),)
    return Evidence(
        "What pump and bearings make, against the middle of the session",
        "time, s",
        "more (+) or less (−), %",
        series,
        0.0,
    )


def _stretch(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    """The first stretch of a channel that was left out, with what is about it."""
    channel = next((c for c in a.recording.channels if c.name == check.channel), None)
    if channel is None or check.correction is None or not check.correction.samples.size:
        return None
    wrong = np.zeros(channel.values.size, dtype=bool)
    wrong[check.correction.samples] = True
    t = channel.time_s
    spans = tuple((float(t[s]), float(t[e - 1])) for s, e in runs_of(wrong))
    part = _about(t, spans[0][0] - 10.0, min(spans[0][1], spans[0][0] + 60.0) + 10.0)
    every = slice(part.start, part.stop, max(1, (part.stop - part.start) // (2 * _MOST_POINTS)))
    kept = np.where(wrong, np.nan, channel.values)
    return Evidence(
        f"The first of {len(spans)}" if len(spans) > 1 else "Where it was left out",
        "time, s",
        channel.name,
        (
            Series("kept", t[every], kept[every]),
            Series("left out", t[every], np.where(wrong, channel.values, np.nan)[every], True, "below"),
        ),
        None,
        spans,
    )


def _along_the_way(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    """The pressures along the oil's way: with the engine stopped for what they read at rest, running for their
    order."""
    frame = frame_on(a.recording, Role.OIL_PRESSURE)
    rpm = frame.filled(Role.RPM, np.nan)
    runs = runs_of(rpm < 60.0 if check.id == "references" else rpm > 1500.0)
    if not runs:
        return None
    first, last = max(runs, key=lambda r: r[1] - r[0])
    start, end = float(frame.time_s[first]), min(float(frame.time_s[last - 1]), float(frame.time_s[first]) + 20.0)
    series = []
    for role, tone in zip(ORDER, ("below", "soft", "ample", "ink"), strict=True):
        channel = a.recording.channel(role)
        if channel is not None:
            part = _about(channel.time_s, start, end)
            series.append(
                Series(role.words, channel.time_s[part], channel.values[part] / units.pressure.factor, tone=tone)
            )
    level = 0.0 if check.id == "references" else None
    title = "With the engine stopped" if check.id == "references" else "Running"
    return (
        Evidence(title, "time, s", f"pressure, {units.pressure.symbol}", tuple(series), level, ((start, end),))
        if series
        else None
    )


def _range(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    channel, _, right = _pressure(a, units)
    sensor = a.options.known.sensor if a.options.known is not None else None
    if channel is None or sensor is None or sensor.high_kpa is None:
        return None
    end = sensor.high_kpa + (a.zero.value if a.zero is not None else 0.0)
    every = max(1, right.size // (2 * _MOST_POINTS))
    return Evidence(
        "All readings against the end of the sensor's range",
        "time, s",
        f"oil pressure, {units.pressure.symbol}",
        (Series("", channel.time_s[::every], right[::every], True, "soft"),),
        float(units.pressure.from_base(end)),
    )


def _axes(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    role = Role.LONGITUDINAL_G if check.id.startswith("longitudinal") else Role.LATERAL_G
    clouds = []
    for recording, name, tone in ((a.recording, "as logged", "soft"), (a.corrected, "corrected", "ink")):
        frame = thinned_on_g(recording)
        reference = references(frame).of(role) if frame is not None else None
        values = frame.get(role) if frame is not None else None
        if frame is None or reference is None or values is None:
            continue
        every = max(1, reference.size // _MOST_POINTS)
        clouds.append(Series(name, reference[::every], smooth(values, frame.step_s)[::every], True, tone))
    if not clouds:
        return _first_turn(a) if check.id == SIDE_CHECK else None
    if check.correction is None:
        clouds = clouds[:1]
    what = "the change of speed" if role is Role.LONGITUDINAL_G else "the path"
    return Evidence(
        f"{role.words[0].upper()}{role.words[1:]} against {what}: on the diagonal both agree",
        f"by {what}, g",
        "logged, g",
        tuple(clouds),
    )


def _first_turn(a: Analysis) -> Evidence | None:
    """The lateral g as logged up to the first turn after the start: somebody who was there knows which way it went."""
    raw = a.recording.channel(Role.LATERAL_G)
    turn = first_turn(a.time_s, a.lateral_g, None) if a.lateral_g is not None else None
    if raw is None or turn is None:
        return None
    part = _about(raw.time_s, turn[0] - 20.0, turn[0] + 12.0)
    part = slice(part.start, part.stop, max(1, (part.stop - part.start) // _MOST_POINTS))
    return Evidence(
        "The first turn after the start: was it a left or a right?",
        "time, s",
        "lateral g as logged",
        (Series("as logged", raw.time_s[part], raw.values[part]),),
        0.0,
        ((turn[0] - 2.0, turn[0] + 2.0),),
        0.5,
    )


def _noise(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    frame = frame_on(a.recording, Role.OIL_PRESSURE)
    rpm, pressure = frame.filled(Role.RPM), frame.filled(Role.OIL_PRESSURE, np.nan)
    second = np.abs(pressure[2:] - 2.0 * pressure[1:-1] + pressure[:-2])
    bands, noise = [], []
    for low in np.arange(500.0, 9000.0, 500.0):
        own = second[(rpm[1:-1] >= low) & (rpm[1:-1] < low + 500.0) & np.isfinite(second)]
        if own.size >= 60:
            bands.append(low + 250.0)
            noise.append(float(np.median(own)) / 0.6745 / np.sqrt(6.0))
    if len(bands) < 2:
        return None
    shown = np.array([units.pressure.difference_from_base(n) for n in noise])
    return Evidence(
        "Noise by engine speed",
        "engine speed, rpm",
        f"noise, {units.pressure.symbol}",
        (Series("", np.array(bands), shown), Series("", np.array(bands), shown, True)),
        0.0,
    )


def _steps(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    channel, raw, _ = _pressure(a, units)
    if channel is None:
        return None
    # Where a few steps follow each other: a pressure that stands shows none, one that falls through twenty hides them.
    starts = np.arange(channel.time_s[0], channel.time_s[-1] - _FEW_S, _FEW_S / 2.0)
    edges = np.searchsorted(channel.time_s, np.column_stack([starts, starts + _FEW_S]))
    levels = np.array([np.unique(np.round(raw[i:k][np.isfinite(raw[i:k])], 3)).size for i, k in edges])
    if levels.size == 0:
        return None
    from_middle = np.abs(np.arange(starts.size) / starts.size - 0.5)
    start = float(starts[np.argmin(np.maximum(np.abs(levels - _FEW_LEVELS), 2) + from_middle)])
    part = _about(channel.time_s, start, start + _FEW_S)
    t, y = channel.time_s[part], raw[part]
    return Evidence(
        "Four seconds, reading by reading",
        "time, s",
        f"oil pressure, {units.pressure.symbol}",
        (Series("", t, y, tone="soft"), Series("", t, y, True)),
        None,
        ((start, start + _FEW_S),),
    )


def _scale(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    raw = a.recording.channel(Role.OIL_PRESSURE)
    if raw is None or not np.isfinite(a.expected_kpa).any() or not a.settled.any():
        return None
    at = np.flatnonzero(a.settled)
    at = at[:: max(1, at.size // _MOST_POINTS)]
    earlier = a.options.known.earlier if a.options.known is not None else ()
    before = expected_before(earlier, a.rpm, a.temperature_c)
    ratio = raw.values[at] / (a.expected_kpa if before is None else before)[at]
    return Evidence(
        "Settled running against " + ("what is expected" if before is None else "what this engine showed before"),
        "engine speed, rpm",
        "logged by " + ("expected" if before is None else "shown before"),
        (Series("", a.rpm[at], ratio, True),),
        1.0,
    )


def _temperature(a: Analysis, check: Check, units: DisplayUnits) -> Evidence | None:
    channel = a.recording.channel(Role.OIL_TEMP)
    if channel is None:
        return None
    every = max(1, channel.values.size // 2000)
    t, y = channel.time_s[::every], np.asarray(units.temperature.from_base(channel.values[::every]))
    return Evidence(
        "The oil temperature as logged", "time, s", f"oil temperature, {units.temperature.symbol}", (Series("", t, y),)
    )


def drop_curves(changes: Sequence[Change], redline_rpm: float, units: DisplayUnits) -> Evidence | None:
    """The drop of each part by engine speed at one viscosity, now and before; None without any."""
    rpm = np.linspace(1500.0, max(redline_rpm, 2000.0), 60)
    series = []
    for i, change in enumerate(changes):
        for drop, name, color in ((change.before, "", "soft"), (change.now, change.now.parts, "ink")):
            if drop is not None:
                shown = [units.pressure.difference_from_base(drop.at(float(n))) for n in rpm]
                series.append(Series(name, rpm, np.array(shown), tone=color, dashed=i % 2 == 1))
    title = f"Drop by engine speed at {REFERENCE_MM2PS:.0f} mm²/s; grey: before"
    return (
        Evidence(title, "engine speed, rpm", f"drop, {units.pressure.symbol}", tuple(series), 0.0) if series else None
    )


def drop_trend(changes: Sequence[Change], earlier: Sequence[Sequence[Drop]], units: DisplayUnits) -> Evidence | None:
    """Each part's drop session by session at one engine speed and viscosity, this log the last; None without any
    before."""
    series = []
    for number, change in enumerate(changes):
        own = [(i, d) for i, drops in enumerate(earlier, 1) for d in drops if d.parts == change.now.parts]
        if not own:
            continue
        at = np.array([*(i for i, _ in own), len(earlier) + 1], dtype=np.float64)
        every = [*(d for _, d in own), change.now]
        shown = np.array([units.pressure.difference_from_base(d.at(REFERENCE_RPM)) for d in every])
        series += [Series(change.now.parts, at, shown, dashed=number % 2 == 1), Series("", at, shown, True)]
    if not series:
        return None
    title = f"Session by session, at {REFERENCE_RPM:.0f} rpm and {REFERENCE_MM2PS:.0f} mm²/s"
    return Evidence(
        title,
        "session, oldest first; the last is this log",
        f"drop, {units.pressure.symbol}",
        tuple(series),
        0.0,
        counts=True,
    )
