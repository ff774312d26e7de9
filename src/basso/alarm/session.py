"""A live drive: the bus it comes from, what its channels mean, and the judge that hears them."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from basso.alarm.live import LiveJudge, LiveReading
from basso.alarm.rules import AlarmRule
from basso.errors import FormatError, InputError
from basso.formats.bus import decoded
from basso.formats.database import load_database, names_given_twice, signals_of
from basso.formats.frames import Frames, Key
from basso.formats.options import ReadOptions
from basso.formats.reader_notes import ReaderNotes
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.roles import Role

if TYPE_CHECKING:
    from cantools.database import Message

_LOOKS_S = (0.5, 2.0, 5.0, 15.0, 60.0)
"""When it is looked at what the channels mean: a name alone may leave it open, and what was sent then tells."""
_PATIENT_LOOKS = len(_LOOKS_S) - 1
_FIND_EVERY_S = 0.5
_STRANGE_AFTER_S = 3.0


class Source(Protocol):
    """Where frames come from: a bus that is being recorded (:class:`basso.formats.live_bus.LiveBus`)."""

    path: Path
    received: int
    trouble: str

    @property
    def jumps(self) -> int:
        """How often its clock jumped."""
        ...

    def take(self) -> dict[Key, Frames]:
        """The frames that came since the last call."""
        ...

    def close(self) -> None:
        """End it."""
        ...


class LiveSession:
    """One live drive, up to the recording it leaves.

    Args:
        source: what is listened to.
        database: what its frames mean.
        reading, judging: as for a log.
        rule: of the warning device.
        clock: s, never jumps.

    Raises (on opening):
        FormatError: the database cannot be used.
    """

    def __init__(
        self,
        source: Source,
        database: Path,
        reading: ReadOptions,
        judging: JudgeOptions,
        rule: AlarmRule | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._messages: dict[Key, Message] = load_database(database)
        self._database, self._reading = database, reading
        self._judge = LiveJudge(judging, rule)
        self._early: dict[Key, Frames] | None = {}
        self._looks = list(_LOOKS_S)
        self._seen: set[Key] = set()
        self._roles: dict[str, Channel] = {}
        self._idle: set[Key] = set()
        self._trouble = ""
        self._first: float | None = None
        self._clock = clock
        self._began = self._found_at = clock()
        self._first_at = 0.0
        self._told: set[str] = set()
        self._notes: list[str] = []
        self.source = source

    def tick(self) -> LiveReading:
        """Hear what came since the last time; what there is to show now."""
        now = self._clock()
        came = self.source.take()
        if came and self._first is None:
            self._first, self._first_at = min(f.stamps[0] for f in came.values()), now
        if self._first is not None:
            self._seen |= came.keys() & self._messages.keys()
            self._hear(came, self._first, now)
            self._learn_roles(came, now)
        if now - self._found_at >= _FIND_EVERY_S:
            self._judge.find()
            self._found_at = now
        self._say_what_is_wrong(now)
        return self._judge.now(now)

    def take_notes(self) -> list[str]:
        """What there is to say that was not said before, one sentence each."""
        said = [*self._notes, *self._judge.notes]
        self._notes, self._judge.notes = [], []
        return said

    @property
    def judge(self) -> LiveJudge:
        """What has been found so far."""
        return self._judge

    def close(self) -> Path:
        """End the drive; the recording it leaves.

        Raises:
            InputError: nothing came, so there is none.
        """
        self.source.close()
        self.tick()
        self._judge.find()
        if not self.source.received:
            raise InputError("No frame came from the bus, so nothing was recorded; check channel, rate and wiring.")
        return self.source.path

    def _hear(self, came: dict[Key, Frames], first: float, now: float) -> None:
        twice = names_given_twice({k: self._messages[k] for k in self._seen})
        for key in came.keys() & self._seen - self._idle:
            columns = signals_of(self._messages[key], came[key], first, twice, [], [])
            heard = [(self._roles[c.heading.name], c) for c in columns if c.heading.name in self._roles]
            if columns and not heard:
                self._idle.add(key)  # nothing in it is asked for
            for channel, column in heard:
                assert channel.role is not None
                values = channel.unit.to_base(column.values) if channel.unit is not None else column.values
                self._judge.hear(channel.role, column.time_s, values, now)

    def _learn_roles(self, came: dict[Key, Frames], now: float) -> None:
        """What the channels mean, by the reader that will read the recording: of the first minute, again and again."""
        if self._early is None:
            return
        for key, frames in came.items():
            _append(self._early.setdefault(key, Frames()), frames)
        if now - self._first_at < self._looks[0]:
            return
        self._looks.pop(0)
        if self._seen:
            try:
                made = decoded(self.source.path, "bus", self._early, self._database, self._reading, ReaderNotes())
            except FormatError as error:
                if len(self._looks) < _PATIENT_LOOKS:  # a signal that is named may come later than others
                    self._say(str(error))
            else:
                self._take_roles([c for c in made.channels if c.role is not None and c.role is not Role.TIME], now)
        if not self._looks:
            self._early = None

    def _take_roles(self, known: list[Channel], now: float) -> None:
        before = {c.role for c in self._roles.values()}
        self._roles = {c.name: c for c in known}
        self._idle.clear()
        latest = max((float(c.time_s[-1]) for c in known), default=0.0)
        for channel in known:
            assert channel.role is not None
            self._judge.name(channel.role, channel.name, channel.unit)
            if channel.role not in before:  # what came before it was known counts as well
                heard = now - (latest - float(channel.time_s[-1]))
                self._judge.hear(channel.role, channel.time_s, channel.values, heard)
        for role in (Role.OIL_PRESSURE, Role.RPM):
            if role not in {c.role for c in known} and len(self._looks) < _PATIENT_LOOKS:
                self._say(f"No signal was recognised as {role.words}; name it with --role {role}=SIGNAL.")

    def _say_what_is_wrong(self, now: float) -> None:
        if self.source.trouble != self._trouble:
            self._trouble = self.source.trouble
            self._notes.append(self._trouble or "The bus is back.")
        if self._first is None and now - self._began > _STRANGE_AFTER_S:
            self._say("Nothing comes from the bus yet; check channel, rate and wiring.")
        if self._first is not None and not self._seen and now - self._first_at > _STRANGE_AFTER_S:
            self._say(
                f"{self._database.name} describes none of the frames on this bus; name the database of this bus with "
                "--dbc FILE. The frames are recorded all the same."
            )
        if self.source.jumps:
            self._say("The bus's clock jumped; the recording goes on by the time that went by here.")

    def _say(self, words: str) -> None:
        if words not in self._told:
            self._told.add(words)
            self._notes.append(words)


def _append(to: Frames, more: Frames) -> None:
    to.stamps.extend(more.stamps)
    to.lengths += more.lengths
    to.payloads += more.payloads
