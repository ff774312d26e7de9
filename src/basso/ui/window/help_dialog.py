"""Help: the guide's page about the station shown, every other page, and every command with its keys."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from basso.guide import PAGES
from basso.ui.dialogs import CAUTION, closing, label
from basso.ui.plain import Browser
from basso.ui.stations.station import Command
from basso.ui.theme.look import Look, Type

_KEYS = "keys"


class HelpDialog(QDialog):
    """The guide. Opens with the page about ``station``; typing finds the pages that hold the words."""

    def __init__(self, parent: QWidget, look: Look, commands: Sequence[Command], station: str = "dips") -> None:
        super().__init__(parent)
        self.setWindowTitle("Help and shortcuts")
        self._texts = {page.key: page.text for page in PAGES} | {_KEYS: _keys_page(commands)}
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find in the guide")
        self.search.setAccessibleName("Find in the guide")
        self.list = QListWidget()
        self.list.setAccessibleName("Pages of the guide")
        self.list.setFont(look.font(Type.BODY))
        self.page = Browser()
        self.page.setAccessibleName("The page")
        self.page.setOpenLinks(False)
        self.page.document().setDefaultFont(look.font(Type.BODY))
        self.page.document().setDocumentMargin(look.height())
        self._heading_font = look.font(Type.SMALL_STRONG)
        self._fill("")
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        columns = QHBoxLayout()
        columns.addLayout(left)
        columns.addWidget(self.page, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 16, 16, 12)
        layout.addLayout(columns, 1)
        layout.addWidget(label(look, CAUTION, Type.SMALL, soft=True))
        layout.addWidget(closing(self))
        line = round(look.height())
        self.list.setFixedWidth(11 * line)
        self.resize(min(48 * line, parent.width()), min(43 * line, parent.height()))
        self.search.textChanged.connect(self._fill)
        self.list.currentItemChanged.connect(self._show)
        self._choose(station)
        self.list.setFocus()

    def _fill(self, typed: str) -> None:
        """The pages that hold every word typed."""
        shown = self.list.currentItem()
        key = shown.data(Qt.ItemDataRole.UserRole) if shown is not None else None
        words = typed.lower().split()
        self.list.clear()
        group = ""
        for page_key, page_group in (*((p.key, p.group) for p in PAGES), (_KEYS, "Look up")):
            text = self._texts[page_key]
            if not all(w in text.lower() for w in words):
                continue
            if page_group != group:
                group = page_group
                heading = QListWidgetItem(group)
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setFont(self._heading_font)
                self.list.addItem(heading)
            item = QListWidgetItem(f"  {text.split(chr(10), 1)[0].removeprefix('# ')}")
            item.setData(Qt.ItemDataRole.UserRole, page_key)
            self.list.addItem(item)
        self._choose(key)

    def _choose(self, key: str | None) -> None:
        """Show a page where it is listed, else the first that is."""
        items = [i for n in range(self.list.count()) if (i := self.list.item(n)).flags() & Qt.ItemFlag.ItemIsSelectable]
        wanted = [i for i in items if i.data(Qt.ItemDataRole.UserRole) == key] or items
        if wanted:
            self.list.setCurrentItem(wanted[0])
        else:
            self.page.setMarkdown("No page of the guide holds all these words.")

    def _show(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(Qt.ItemDataRole.UserRole) is not None:
            self.page.setMarkdown(self._texts[item.data(Qt.ItemDataRole.UserRole)])


def _keys_page(commands: Sequence[Command]) -> str:
    """Every command with its keys and what it does, Markdown."""
    lines = ["# Commands and keys"]
    for group in dict.fromkeys(c.group for c in commands):
        lines += ["", f"**{_plain(group)}**", ""]
        for c in (c for c in commands if c.group == group):
            keys = " or ".join(f"**{_plain(k)}**" for k in c.keys)
            lines.append(f"- {_plain(c.title)}{f'  {keys}' if keys else ''}{f': {_plain(c.hint)}' if c.hint else ''}")
    return "\n".join(lines)


def _plain(words: str) -> str:
    """Words in which nothing is a mark of Markdown."""
    return "".join(f"\\{x}" if x in "\\`*_{}[]<>()#+-.!|" else x for x in words)
