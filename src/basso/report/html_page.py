"""A report as one HTML file that needs nothing else: no script, nothing remote, fonts and charts inside."""

from __future__ import annotations

import base64
from html import escape
from pathlib import Path

from basso.report.drawing import FONT, to_svg
from basso.report.pages import Block, Bullets, Chart, Heading, Paragraph, Report, Table
from basso.version import VERSION

FONTS = Path(__file__).parents[1] / "fonts"
REGULAR, BOLD = (FONTS / f"BarlowSemiCondensed_{kind}.ttf" for kind in ("400Regular", "600SemiBold"))

_STYLE = """\
:root { color-scheme: light }
* { box-sizing: border-box }
body { margin: 0; background: #F6F3EC; color: #1D2226; font: 16px/1.4 "Barlow Semi Condensed", sans-serif }
main { max-width: 900px; margin: 0 auto; padding: 28px 24px 60px; font-variant-numeric: tabular-nums }
h1 { font-size: 30px; line-height: 1.15; margin: 0 0 6px } h2 { font-size: 20px; margin: 30px 0 8px }
p { margin: 0 0 8px } .about, .note, figcaption { color: #5C646A } .note, figcaption { font-size: 14px }
.lead { font-size: 18px } .caution { border-left: 4px solid #8E2340; padding: 4px 12px; background: #FBF9F4 }
figure { margin: 14px 0 } svg { display: block; background: #FBF9F4; border: 1px solid #DAD5C8; border-radius: 4px }
table { border-collapse: collapse; width: 100%; margin: 8px 0 14px; font-size: 15px }
th { text-align: left; font-weight: 600; border-bottom: 2px solid #1D2226; padding: 3px 8px 3px 0;
  vertical-align: bottom }
td { border-bottom: 1px solid #DAD5C8; padding: 3px 8px 3px 0; vertical-align: top } .n { text-align: right }
footer { margin-top: 40px; color: #5C646A; font-size: 14px; border-top: 1px solid #DAD5C8; padding-top: 8px }
@media print { body { background: #fff } main { padding: 0; max-width: none } h2 { break-after: avoid }
  figure, tr { break-inside: avoid } }
@media (max-width: 640px) { main { padding: 16px 12px } table { display: block; overflow-x: auto } }
"""


def to_html(report: Report) -> str:
    """The whole file."""
    faces = "".join(
        f'@font-face {{ font-family: "{FONT}"; font-weight: {weight}; '
        f"src: url(data:font/ttf;base64,{base64.b64encode(file.read_bytes()).decode()}) }}\n"
        for weight, file in ((400, REGULAR), (600, BOLD))
    )
    body = "\n".join(_block(b) for b in report.blocks)
    return (
        '<!DOCTYPE html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        f"<title>{escape(report.title)}</title>\n<style>\n{faces}{_STYLE}</style>\n</head>\n<body><main>\n"
        f'<h1>{escape(report.title)}</h1>\n<p class="about">{escape(report.about)}</p>\n{body}\n'
        f"<footer>Made by Basso {VERSION}. The engine builder, the maker and the event's rules decide.</footer>\n"
        "</main></body>\n</html>\n"
    )


def _block(block: Block) -> str:
    if isinstance(block, Heading):
        return f"<h2>{escape(block.text)}</h2>"
    if isinstance(block, Paragraph):
        kind = "" if block.kind == "plain" else f' class="{block.kind}"'
        return f"<p{kind}>{escape(block.text)}</p>"
    if isinstance(block, Bullets):
        return f"<ul>{''.join(f'<li>{escape(p)}</li>' for p in block.points)}</ul>"
    if isinstance(block, Chart):
        caption = f"<figcaption>{escape(block.caption)}</figcaption>" if block.caption else ""
        return f"<figure>{to_svg(block.drawing)}{caption}</figure>"
    return _table(block)


def _table(t: Table) -> str:
    def cell(tag: str, n: int, words: str) -> str:
        kind = ' class="n"' if n in t.numbers else ""
        return f"<{tag}{kind}>{escape(words)}</{tag}>"

    head = "".join(cell("th", n, words) for n, words in enumerate(t.head))
    rows = "".join(f"<tr>{''.join(cell('td', n, words) for n, words in enumerate(row))}</tr>" for row in t.rows)
    return f"<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>"
