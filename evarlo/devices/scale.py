"""Bench scales: the narrow interface a real one would have, lines of text over a socket or a file, and the simulated one that
ships."""

from __future__ import annotations

import re
import socket
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from time import time
from typing import Protocol
from zlib import crc32

LINE = re.compile(r"\s*([-−+]?\s*\d+(?:[.,]\d+)?)\s*(kg|g|lb|oz)\s+(steady|moving)\s*", re.IGNORECASE)
KG = {"kg": 1.0, "g": 0.001, "lb": 0.45359237, "oz": 0.028349523125}
PATIENCE = 0.4  # seconds in which a scale answers, or is not there
TAIL = 200  # bytes of a file in which its last line lies


class State(StrEnum):
    """What a scale says of its weight."""

    STEADY = "steady"
    MOVING = "moving"
    OVER = "over"  # more than it can weigh
    OFF = "off"  # unplugged, or not to be understood


@dataclass(frozen=True)
class OnScale:
    """What lies on the scale, in kilograms; None where it cannot be said."""

    kg: float | None
    state: State


OFF = OnScale(None, State.OFF)


class Scale(Protocol):
    """Whatever weighs on a bench."""

    def now(self) -> OnScale:
        """What lies on it at this moment."""
        ...


def read_line(text: str) -> OnScale:
    """A line such as `2.840 kg steady`, `310 g moving` or `over`; anything else is a scale that is off."""
    if text.strip().casefold() == "over":
        return OnScale(None, State.OVER)
    found = LINE.fullmatch(text)
    if not found:
        return OFF
    number = float(found[1].replace(" ", "").replace(",", ".").replace("−", "-"))
    return OnScale(round(number * KG[found[2].casefold()], 6), State(found[3].casefold()))


class SocketScale:
    """A scale that answers each connection with one line."""

    def __init__(self, host: str, port: int) -> None:
        self.at = (host, port)

    def now(self) -> OnScale:
        """What it says; off where nothing answers in time."""
        try:
            with socket.create_connection(self.at, timeout=PATIENCE) as line:
                line.settimeout(PATIENCE)
                text = b""
                while b"\n" not in text and len(text) < TAIL and (part := line.recv(64)):
                    text += part
        except OSError:
            return OFF
        return read_line(text.decode("ascii", "replace").split("\n")[0])


class FileScale:
    """A scale that writes its lines to a file; the last whole one counts."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def now(self) -> OnScale:
        """What its last line says; off where there is none."""
        try:
            with self.path.open("rb") as file:
                file.seek(max(0, self.path.stat().st_size - TAIL))
                lines = file.read().decode("ascii", "replace").split("\n")
        except OSError:
            return OFF
        return read_line(lines[-2]) if len(lines) > 1 else OFF


class SimulatedScale:
    """A scale that does not exist: every eight seconds something else is laid on it, settles and is taken off again."""

    ROUND, EMPTY, SETTLES = 8.0, 2.0, 1.4

    def __init__(self, clock: Callable[[], float] = time) -> None:
        self.clock = clock

    def now(self) -> OnScale:
        """What lies on it at the clock's time."""
        turn, past = divmod(self.clock(), self.ROUND)
        kg = 0.4 + 4 * crc32(f"load {turn:.0f}".encode()) / 2**32
        if past < self.EMPTY:
            return OnScale(0.0, State.STEADY)
        if past < self.EMPTY + self.SETTLES:
            swing = 0.3 * (1 - (past - self.EMPTY) / self.SETTLES) * (-1) ** int(10 * past)
            return OnScale(round(kg * (1 + swing), 3), State.MOVING)
        return OnScale(round(kg, 3), State.STEADY)


def scale_at(where: str) -> Scale | None:
    """The scale that a setting names: `simulated`, `socket:HOST:PORT` or `file:PATH`; None where there is none. Raises ValueError
    for anything else."""
    kind, _, rest = where.partition(":")
    if not where:
        return None
    if kind == "simulated":
        return SimulatedScale()
    if kind == "file" and rest:
        return FileScale(Path(rest))
    host, _, port = rest.rpartition(":")
    if kind == "socket" and host and port.isdecimal():
        return SocketScale(host, int(port))
    raise ValueError(f"found “{where}”, expected simulated, socket:HOST:PORT or file:PATH")
