"""The Dips station's further pages: one dip by itself, and the session's shares of normal."""

from __future__ import annotations

import html
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QWidget

from basso.ui import layouts
from basso.ui.plain import Browser
from basso.ui.stations.dips.one_dip import dip_detail, dip_picture, dip_title, rival_rows, share_picture
from basso.ui.stations.dips.views import DipView, GPathView, GView, ShareView
from basso.ui.stations.words import HeldWords, Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip


class OneDipPage(QWidget):
    """One dip: told, drawn, and every cause it might have with what speaks for and against it."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._title, self._detail = HeldWords(look, 1, Type.STRONG), HeldWords(look, 2, Type.SMALL)
        self._causes = Browser()
        self.dip, self.path = DipView(look), GPathView(look)
        self._causes.setFrameShape(QFrame.Shape.NoFrame)
        self._causes.setStyleSheet("QTextBrowser { background: transparent; }")
        self._causes.document().setDocumentMargin(0)
        self._causes.setAccessibleName("What speaks for and against each cause")
        self._shown: tuple[Analysis, JudgedDip] | None = None
        lower = QHBoxLayout()
        lower.setSpacing(16)
        lower.addWidget(self.path, 40)
        lower.addWidget(self._causes, 60)
        layout = layouts.column(self, (0, 4, 0, 0), 3)
        for widget, part in ((self._title, 0), (self._detail, 0), (self.dip, 48)):
            layout.addWidget(widget, part)
        layout.addLayout(lower, 52)
        look.changed.connect(self._dress)

    def show_dip(self, a: Analysis | None, d: JudgedDip | None, units: DisplayUnits) -> None:
        """Show a dip, or that none is chosen."""
        self._shown = (a, d) if a is not None and d is not None else None
        if a is None or d is None:
            self._title.setText("Choose a dip: click it in the traces or the list, or press N")
            self._detail.setText("")
            self.dip.show_picture(None)
            self.path.show_picture(None)
            self._causes.clear()
            return
        self._title.setText(dip_title(a, d))
        self._detail.setText(dip_detail(a, d, units))
        picture = dip_picture(a, d, units)
        self.dip.show_picture(picture)
        self.path.show_picture(picture)
        self._dress()

    def _dress(self) -> None:
        self._causes.setFont(self._look.font(Type.SMALL))
        if self._shown is None:
            return
        p, lines = self._look.palette, []
        for row in rival_rows(*self._shown):
            tone = p.ink if row.judged else p.soft
            head = f"<span style='font-weight:600'>{html.escape(row.name)}</span>" + (" (judged)" if row.judged else "")
            said = [f"for: {html.escape(w)}" for w in row.speaks_for] + [
                f"against: {html.escape(w)}" for w in row.speaks_against
            ]
            lines.append(
                f"<p style='margin:0 0 5px 0; color:{tone}'>{head}<br>" + "<br>".join(f"– {w}" for w in said) + "</p>"
            )
        self._causes.setHtml("".join(lines))

    @property
    def text(self) -> str:
        """What the page says, to be copied."""
        if self._shown is None:
            return ""
        lines = [self._title.text(), self._detail.text()]
        for row in rival_rows(*self._shown):
            lines.append(row.name)
            lines += [f"  for: {w}" for w in row.speaks_for] + [f"  against: {w}" for w in row.speaks_against]
        return "\n".join(lines)


class SharesPage(QWidget):
    """How much of the running lay below which share of normal, and the share against g."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self.below, self.side, self.fore = ShareView(look), GView(look, fore=False), GView(look, fore=True)
        self._words = Words(look, Type.SMALL)
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.setSpacing(8)
        heads = ("Time below each % of normal", "Against lateral g", "Against longitudinal g")
        for (row, column, span), words, view in zip(((0, 0, 2), (2, 0, 1), (2, 1, 1)), heads, self.views, strict=True):
            head = Words(look, Type.SMALL_STRONG)
            head.setText(words)
            layout.addWidget(head, row, column, 1, span)
            layout.addWidget(view, row + 1, column, 1, span)
        layout.addWidget(self._words, 4, 0, 1, 2)
        layout.setRowStretch(1, 1)
        layout.setRowStretch(3, 1)

    @property
    def views(self) -> tuple[ShareView, GView, GView]:
        """The pictures."""
        return self.below, self.side, self.fore

    def show_session(self, a: Analysis | None) -> None:
        """Show a session."""
        picture = share_picture(a) if a is not None else None
        for view in self.views:
            view.show_picture(picture)
        if a is None or picture is None:
            self._words.setText("Normal is not known here, so there is no % of normal.")
            return
        from basso.findings.corners.per_lap import per_lap
        from basso.words.corners import per_lap_words

        self._words.setText(per_lap_words(per_lap(a)))
