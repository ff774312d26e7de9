"""A warning device on paper: the driver's card, what it is set to, what it was proved on, and the order of checks."""

from __future__ import annotations

import html

from basso.alarm.findings import AlarmFindings, SetAlarm
from basso.sentence import read_in
from basso.units import DisplayUnits, Quantity
from basso.words.alarm import CAUTION, CHECKS, drivers_card, missed_words, opening, setting_words


def card_html(found: AlarmFindings, chosen: SetAlarm, car: str, log: str, units: DisplayUnits) -> str:
    """The card as HTML for one page of paper."""

    def e(words: str) -> str:
        return html.escape(str(read_in(words, units)))

    unit, rule = units.pressure.symbol, chosen.rule
    parts = [f"<h1>{e(car) or 'Driver&#39;s card'}: oil light</h1>"]
    for part in drivers_card(chosen):
        parts.append(f"<h2>{e(part.heading)}</h2>" if part.heading else "")
        parts += [f"<p style='font-size:20pt; margin:0'><b>{e(order)}</b></p>" for order in part.orders]
        parts.append(f"<p>{e(part.note)}</p>")
    parts.append(f"<hr><h2>What it is set to</h2><p>{e(setting_words(chosen.setting, bool(chosen.moved)))}.")
    hysteresis = units.text(rule.hysteresis_kpa, Quantity.PRESSURE, difference=True)
    parts.append(
        f" Silent under {rule.gate_rpm:.0f} rpm; shows after {rule.delay_s:g} s; goes out {hysteresis} over.</p>"
    )
    act = rule.points if rule.caution_points is not None else None
    second = f"<th>&nbsp; stays on under, {unit}</th>" if act is not None else ""
    parts.append(f"<table cellspacing='4'><tr><th>rpm</th><th>&nbsp; shows under, {unit}</th>{second}</tr>")
    for n, (rpm, kpa) in enumerate(rule.first_shown.points):
        more = f"<td align='right'>{units.number(act[n][1], Quantity.PRESSURE)}</td>" if act is not None else ""
        parts.append(
            f"<tr><td align='right'>{rpm:.0f}</td>"
            f"<td align='right'>{units.number(kpa, Quantity.PRESSURE)}</td>{more}</tr>"
        )
    title, detail = opening(found, chosen)
    missed, why = missed_words(chosen)
    parts.append(f"</table><h2>What it was proved on</h2><p>{e(log)}. {e(title)}. {e(detail)}</p>")
    parts.append(f"<p>{e(missed)}. {e(why)}</p><ul>")
    parts += [f"<li>Blind to {e(words)}</li>" for words in chosen.blind_to]
    parts.append("</ul><h2>After it showed, in this order</h2><ol>")
    parts += [f"<li>{e(words)}</li>" for words in CHECKS]
    parts.append(f"</ol><p>{e(CAUTION)} The engine builder, the maker and the event's rules decide.</p>")
    return "".join(parts)
