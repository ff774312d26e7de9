"""What is remembered between starts: place, units, look. Typed, with a version."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QSettings

if TYPE_CHECKING:
    from basso.units import DisplayUnits

_VERSION = 1
_BUS = ("interface", "channel", "database", "folder")


class Settings:
    """Remembered choices; every getter has a sound default for a first start or a damaged file."""

    def __init__(self, store: QSettings | None = None) -> None:
        self._store = store or QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "basso", "basso")
        self._store.setValue("version", _VERSION)

    @property
    def theme(self) -> str:
        """Name of the look; one that is unknown is day."""
        old = "night" if self._store.value("night", False, bool) else "day"
        return str(self._store.value("theme", old))

    @theme.setter
    def theme(self, value: str) -> None:
        self._store.setValue("theme", value)

    @property
    def theme_chosen(self) -> bool:
        """Whether the user ever chose a look; else the desktop's own decides."""
        return self._store.contains("theme") or self._store.contains("night")

    @property
    def text_size(self) -> int:
        """Size of type, % of the standard size."""
        try:
            return int(str(self._store.value("text_size", 100)))
        except ValueError:
            return 100

    @text_size.setter
    def text_size(self, value: int) -> None:
        self._store.setValue("text_size", value)

    @property
    def units(self) -> DisplayUnits:
        """Units to read in."""
        from basso.units import UNITS, DisplayUnits

        standard = DisplayUnits()

        def chosen(name: str, standard_symbol: str) -> str:
            symbol = str(self._store.value(f"units/{name}", standard_symbol))
            return (
                symbol
                if symbol in UNITS and UNITS[symbol].quantity is UNITS[standard_symbol].quantity
                else standard_symbol
            )

        return DisplayUnits(
            pressure=UNITS[chosen("pressure", standard.pressure.symbol)],
            temperature=UNITS[chosen("temperature", standard.temperature.symbol)],
            speed=UNITS[chosen("speed", standard.speed.symbol)],
            volume=UNITS[chosen("volume", standard.volume.symbol)],
            length=UNITS[chosen("length", standard.length.symbol)],
        )

    @units.setter
    def units(self, value: DisplayUnits) -> None:
        for name in ("pressure", "temperature", "speed", "volume", "length"):
            self._store.setValue(f"units/{name}", getattr(value, name).symbol)

    @property
    def station(self) -> str:
        """Name of the station last shown."""
        return str(self._store.value("station", "dips"))

    @station.setter
    def station(self, value: str) -> None:
        self._store.setValue("station", value)

    @property
    def last_logs(self) -> list[Path]:
        """Logs open when the window was closed, the shown one first; those that are gone are left out."""
        value = self._store.value("logs", [])
        names = value if isinstance(value, list) else [value]
        return [Path(str(n)) for n in names if n and Path(str(n)).is_file()]

    @last_logs.setter
    def last_logs(self, value: list[Path]) -> None:
        self._store.setValue("logs", [str(p) for p in value])

    @property
    def folder(self) -> Path:
        """Folder a log was last opened from."""
        folder = Path(str(self._store.value("folder", str(Path.home()))))
        return folder if folder.is_dir() else Path.home()

    @folder.setter
    def folder(self, value: Path) -> None:
        self._store.setValue("folder", str(value))

    @property
    def bus(self) -> tuple[str, str, str, str]:
        """The bus last listened to: interface, channel, database, folder of its recordings."""
        kept = [str(self._store.value(f"bus/{name}", "")) for name in _BUS]
        return kept[0], kept[1], kept[2], kept[3] or str(self.folder)

    @bus.setter
    def bus(self, value: tuple[str, str, str, str]) -> None:
        for name, words in zip(_BUS, value, strict=True):
            self._store.setValue(f"bus/{name}", words)

    @property
    def pan_shown(self) -> bool:
        """Whether the pan is unfolded."""
        return bool(self._store.value("pan_shown", True, bool))

    @pan_shown.setter
    def pan_shown(self, value: bool) -> None:
        self._store.setValue("pan_shown", value)

    @property
    def big_readings(self) -> bool:
        """Whether the readings at the cursor stand alone, in large figures."""
        return bool(self._store.value("big_readings", False, bool))

    @big_readings.setter
    def big_readings(self, value: bool) -> None:
        self._store.setValue("big_readings", value)

    @property
    def geometry(self) -> QByteArray | None:
        """The window's place and size."""
        value = self._store.value("geometry")
        return value if isinstance(value, QByteArray) else None

    @geometry.setter
    def geometry(self, value: QByteArray) -> None:
        self._store.setValue("geometry", value)
