"""The line to the server: what is new there, and whether it answers at all, found out beside all other work."""

from __future__ import annotations

import os
import socket
import threading
import time
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from typing import Any
from weakref import WeakSet

from aquin.errors import AquinError
from aquin.production.address import Address
from aquin.production.server.engine import Secret, connect

HUNG = 2.5
"""Seconds within which the server answers the simplest question."""
BEAT = 1.0
"""Seconds between two questions whether the server is there, and between two tries to reach it."""


class Line:
    """`up`: whether the server answered last. `counts`: how often each table was written to by others."""

    def __init__(self, address: Address, secret: Secret) -> None:
        self.address, self.secret = address, secret
        self.up = True
        self.since = time.monotonic()
        self.counts: Counter[str] = Counter()
        self.own: set[int] = set()
        """What the server calls this program's connections."""
        self._held: WeakSet[Any] = WeakSet()
        self._asked = 0.0
        """When the server was asked and has not answered yet; 0: it has."""
        self.changed: Callable[[bool], None] = lambda up: None
        """Called from the line's thread when it is cut, and when it is there again."""
        self.waits: Callable[[], bool] = lambda: False
        """Whether something waits to be sent."""
        self._over = threading.Event()
        self._ask = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True, name="line")

    def start(self) -> None:
        self._thread.start()
        threading.Thread(target=self._watch, daemon=True, name="watch").start()

    def meet(self, connection: Any) -> None:
        """A connection of this program."""
        self.own.add(connection.info.backend_pid)
        self._held.add(connection)

    def _watch(self) -> None:
        """A server that stands still, or a line that swallows everything, answers nobody: whoever waits is let go."""
        while not self._over.wait(BEAT / 2):
            if self._asked and time.monotonic() - self._asked > HUNG:
                self._asked = 0.0
                self.fell()
                for connection in list(self._held):
                    _shut(connection)

    def fell(self) -> None:
        """Somebody got no answer."""
        if self.up:
            self.up, self.since = False, time.monotonic()
            self._ask.set()

    def close(self) -> None:
        """The thread ends by itself within a second."""
        self._over.set()
        self._ask.set()

    def _run(self) -> None:
        said = True
        while not self._over.is_set():
            connection: Any = None
            try:
                connection = connect(self.address, self.secret, autocommit=True)
                self.meet(connection)
                self._asked = time.monotonic()
                connection.execute(f"LISTEN {self.address.schema}")
                self.counts.update(("journal", "measurement", "finding", "seat"))  # what was missed
                self._asked = 0.0
                self.up = True
                if not said:
                    said = True
                    self._tell(True)
                self._hear(connection)
            except Exception:  # whatever the driver raises for a line that is cut
                self._asked = 0.0
                if self._over.is_set():
                    return
                self.fell()
                if said:
                    said = False
                    self._tell(False)
                self._over.wait(BEAT)
            finally:
                if connection is not None:
                    connection.close()

    def _hear(self, connection: Any) -> None:
        while not self._over.is_set():
            for note in connection.notifies(timeout=BEAT, stop_after=1):
                table, _, pid = note.payload.partition(" ")
                if not pid.isdigit() or int(pid) not in self.own:
                    self.counts[table] += 1
            if self._ask.is_set():
                self._ask.clear()
                if not self.up:
                    raise ConnectionError  # another of this program's connections fell: begin anew
            self._asked = time.monotonic()
            connection.execute("SELECT 1")
            self._asked = 0.0
            if self.up and self.waits():
                self._tell(True)

    def _tell(self, up: bool) -> None:
        try:
            self.changed(up)
        except AquinError:
            self.fell()  # it was cut again while what waited was sent


def _shut(connection: Any) -> None:
    """End a connection under whoever waits for it: they get the error of a line that is cut."""
    with (
        suppress(Exception),
        socket.socket(fileno=os.dup(connection.fileno())) as held,
    ):  # else it is closed already
        held.shutdown(socket.SHUT_RDWR)
