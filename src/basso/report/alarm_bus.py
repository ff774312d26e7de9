"""A warning device's settings as messages on a bus: the database that describes them, and the frames themselves."""

from __future__ import annotations

from basso.alarm.rules import KINDS, AlarmRule

SETTINGS_ID, POINT_ID = 0x6F0, 0x6F1
NO_STAGE = 0xFFFF
"""In place of a second stage's pressure where there is none."""
DBC = """\
VERSION ""

NS_ :

BS_:

BU_: Basso Warning

BO_ 1776 Alarm_settings: 8 Basso
 SG_ Alarm_kind : 0|8@1+ (1,0) [0|4] "" Warning
 SG_ Alarm_points : 8|8@1+ (1,0) [1|255] "" Warning
 SG_ Alarm_gate : 16|16@1+ (1,0) [0|65535] "rpm" Warning
 SG_ Alarm_delay : 32|16@1+ (1,0) [0|65535] "ms" Warning
 SG_ Alarm_hysteresis : 48|16@1+ (0.1,0) [0|6553.5] "kPa" Warning

BO_ 1777 Alarm_point: 8 Basso
 SG_ Alarm_index : 0|8@1+ (1,0) [0|254] "" Warning
 SG_ Alarm_rpm : 16|16@1+ (1,0) [0|65535] "rpm" Warning
 SG_ Alarm_shows_under : 32|16@1+ (0.1,0) [0|6553.5] "kPa" Warning
 SG_ Alarm_stays_on_under : 48|16@1+ (0.1,0) [0|6553.5] "kPa" Warning

CM_ BO_ 1776 "Settings of a low-pressure warning: one message, then one Alarm_point for each point.";
CM_ SG_ 1777 Alarm_stays_on_under "Gauge pressure of the second stage; raw 65535 where there is one stage only.";
CM_ SG_ 1777 Alarm_shows_under "Gauge pressure; linear between points, level outside them.";
VAL_ 1776 Alarm_kind 0 "fixed" 1 "gated" 2 "table" 3 "share" 4 "two_stage" ;
"""


def frames_of(rule: AlarmRule) -> list[tuple[int, bytes]]:
    """(identifier, data) of a device's settings, in the order they are sent."""
    first = rule.first_shown.points
    act = rule.points if rule.caution_points is not None else None
    settings = bytes([KINDS.index(rule.kind), len(first)])
    settings += _word(rule.gate_rpm) + _word(1000.0 * rule.delay_s) + _word(10.0 * rule.hysteresis_kpa)
    made = [(SETTINGS_ID, settings)]
    for n, (rpm, kpa) in enumerate(first):
        second = _word(10.0 * act[n][1]) if act is not None else NO_STAGE.to_bytes(2, "little")
        made.append((POINT_ID, bytes([n, 0]) + _word(rpm) + _word(10.0 * kpa) + second))
    return made


def frames_text(rule: AlarmRule) -> str:
    """The frames as candump writes them, 10 ms apart: to be played onto the bus."""
    return "".join(f"({0.01 * n:.6f}) can0 {i:03X}#{d.hex().upper()}\n" for n, (i, d) in enumerate(frames_of(rule)))


def _word(value: float) -> bytes:
    return round(min(max(value, 0.0), NO_STAGE - 1.0)).to_bytes(2, "little")
