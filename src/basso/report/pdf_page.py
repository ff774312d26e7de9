"""A report on paper: PDF with its fonts inside, charts as vectors, a number on every page."""

from __future__ import annotations

import io
from html import escape
from typing import TYPE_CHECKING, Any, Literal

from basso.report.drawing import AMPLE, BELOW, INK, PANEL, RULE, SOFT, Area, Drawing, Line
from basso.report.html_page import BOLD, REGULAR
from basso.report.pages import Block, Bullets, Chart, Heading, Paragraph, Report, Table
from basso.version import VERSION

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

Paper = Literal["a4", "letter"]
_MARGIN_PT = 36.0
_PLAIN, _STRONG = "Basso", "BassoBold"


def to_pdf(report: Report, paper: Paper = "a4") -> bytes:
    """The whole document."""
    from reportlab.lib.pagesizes import A4, LETTER
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.platypus import BaseDocTemplate, Frame, KeepTogether, PageTemplate

    pdfmetrics.registerFont(TTFont(_PLAIN, str(REGULAR)))
    pdfmetrics.registerFont(TTFont(_STRONG, str(BOLD)))
    width, height = A4 if paper == "a4" else LETTER
    out = io.BytesIO()
    document = BaseDocTemplate(
        out,
        pagesize=(width, height),
        title=report.title,
        author=f"Basso {VERSION}",
        subject=report.about,
        invariant=True,
    )
    frame = Frame(_MARGIN_PT, _MARGIN_PT + 14, width - 2 * _MARGIN_PT, height - 2 * _MARGIN_PT - 18, 0, 0, 0, 0)

    def foot(canvas: Canvas, doc: Any) -> None:
        canvas.setFont(_PLAIN, 8)
        canvas.setFillColor(SOFT)
        canvas.drawString(_MARGIN_PT, _MARGIN_PT - 4, _fitted(report.about, width - 2 * _MARGIN_PT - 60))
        canvas.drawRightString(width - _MARGIN_PT, _MARGIN_PT - 4, f"page {doc.page}")

    document.addPageTemplates([PageTemplate("page", [frame], onPage=foot)])
    styles, room = _styles(), width - 2 * _MARGIN_PT
    story = [_text(report.title, styles["title"]), _text(report.about, styles["note"])]
    heading: list[Any] = []
    for block in report.blocks:
        flowed = _flow(block, styles, room)
        if isinstance(block, Heading):
            heading = flowed
        elif isinstance(block, Chart):  # its heading goes to the next page with it
            story.append(KeepTogether([*heading, *flowed]))
            heading = []
        else:
            story += [*heading, *flowed]
            heading = []
    story.append(
        _text(f"Made by Basso {VERSION}. The engine builder, the maker and the event's rules decide.", styles["note"])
    )
    document.build(story)
    return out.getvalue()


def _fitted(words: str, room: float) -> str:
    from reportlab.pdfbase.pdfmetrics import stringWidth

    while len(words) > 4 and stringWidth(words, _PLAIN, 8) > room:
        words = words[:-2].rstrip("…") + "…"
    return words


def _styles() -> dict[str, Any]:
    from reportlab.lib.colors import HexColor
    from reportlab.lib.styles import ParagraphStyle

    plain = ParagraphStyle("plain", fontName=_PLAIN, fontSize=9.5, leading=12.5, textColor=HexColor(INK), spaceAfter=5)
    return {
        "plain": plain,
        "title": ParagraphStyle("title", plain, fontName=_STRONG, fontSize=18, leading=21, spaceAfter=3),
        "heading": ParagraphStyle(
            "heading", plain, fontName=_STRONG, fontSize=12.5, leading=15, spaceBefore=10, spaceAfter=4, keepWithNext=1
        ),
        "lead": ParagraphStyle("lead", plain, fontSize=11, leading=14),
        "note": ParagraphStyle("note", plain, fontSize=8.5, leading=11, textColor=HexColor(SOFT)),
        "caution": ParagraphStyle(
            "caution",
            plain,
            backColor=HexColor(PANEL),
            borderColor=HexColor(BELOW),
            borderWidth=0.8,
            borderPadding=5,
            spaceBefore=6,
            spaceAfter=9,
        ),
        "cell": ParagraphStyle("cell", plain, fontSize=8.5, leading=10.5, spaceAfter=0),
        "number": ParagraphStyle("number", plain, fontSize=8.5, leading=10.5, spaceAfter=0, alignment=2),
        "head": ParagraphStyle("head", plain, fontName=_STRONG, fontSize=8.5, leading=10.5, spaceAfter=0),
        "head_number": ParagraphStyle(
            "head_number", plain, fontName=_STRONG, fontSize=8.5, leading=10.5, spaceAfter=0, alignment=2
        ),
    }


def _text(words: str, style: Any) -> Any:
    from reportlab.platypus import Paragraph as Flowing

    return Flowing(escape(words, quote=False), style)


def _flow(block: Block, styles: dict[str, Any], room: float) -> list[Any]:
    from reportlab.platypus import ListFlowable, ListItem, Spacer

    if isinstance(block, Heading):
        return [_text(block.text, styles["heading"])]
    if isinstance(block, Paragraph):
        return [_text(block.text, styles[block.kind])]
    if isinstance(block, Bullets):
        items: list[Any] = [ListItem(_text(p, styles["plain"]), leftIndent=12) for p in block.points]
        return [
            ListFlowable(
                items, bulletType="bullet", bulletFontSize=5, bulletOffsetY=-3, bulletColor=AMPLE, leftIndent=12
            )
        ]
    if isinstance(block, Chart):
        caption = [_text(block.caption, styles["note"])] if block.caption else []
        return [_chart(block.drawing, room), Spacer(1, 3), *caption]
    return [_table(block, styles, room), Spacer(1, 6)]


def _table(t: Table, styles: dict[str, Any], room: float) -> Any:
    from reportlab.platypus import Table as Grid
    from reportlab.platypus import TableStyle

    weights = t.weights or (1.0,) * len(t.head)
    widths = [room * w / sum(weights) for w in weights]
    head = [_text(w, styles["head_number" if n in t.numbers else "head"]) for n, w in enumerate(t.head)]
    rows = [[_text(w, styles["number" if n in t.numbers else "cell"]) for n, w in enumerate(row)] for row in t.rows]
    grid = Grid([head, *rows], colWidths=widths, repeatRows=1)
    grid.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, 0), 1.0, INK),
                ("LINEBELOW", (0, 1), (-1, -1), 0.4, RULE),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("RIGHTPADDING", (0, 0), (-1, -1), 6),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2.5),
            ]
        )
    )
    return grid


def _chart(d: Drawing, room: float) -> Any:
    from reportlab.platypus.flowables import Flowable

    scale = room / d.width

    class Picture(Flowable):
        """The shapes, painted where the flow puts them."""

        def wrap(self, *_: float) -> tuple[float, float]:
            return d.width * scale, d.height * scale

        def draw(self) -> None:
            self.canv.scale(scale, scale)
            _paint(self.canv, d)

    return Picture()


def _paint(canvas: Canvas, d: Drawing) -> None:
    canvas.setFillColor(PANEL)
    canvas.setStrokeColor(RULE)
    canvas.setLineWidth(0.6)
    canvas.rect(0, 0, d.width, d.height, stroke=1, fill=1)
    for s in d.shapes:
        if isinstance(s, Line | Area):
            path = canvas.beginPath()
            for n, (x, y) in enumerate(s.points):
                (path.moveTo if n == 0 else path.lineTo)(x, d.height - y)
            if isinstance(s, Line):
                canvas.setStrokeColor(s.color)
                canvas.setLineWidth(s.width)
                canvas.setDash(list(s.dash))
                canvas.drawPath(path, stroke=1, fill=0)
                canvas.setDash([])
                continue
            path.close()
            canvas.setFillColor(s.fill)
            canvas.setFillAlpha(s.opacity)
            canvas.setStrokeColor(s.edge or s.fill)
            canvas.setLineWidth(1.0)
            canvas.drawPath(path, stroke=1 if s.edge else 0, fill=1)
            canvas.setFillAlpha(1.0)
            continue
        canvas.setFont(_STRONG if s.bold else _PLAIN, s.size)
        canvas.setFillColor(s.color)
        draw = {"start": canvas.drawString, "middle": canvas.drawCentredString, "end": canvas.drawRightString}[s.anchor]
        draw(s.x, d.height - s.y, s.text)
