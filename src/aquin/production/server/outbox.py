"""What waits to be sent, written down on this machine line by line, so that no end of the program loses it."""

from __future__ import annotations

import fcntl
import json
import os
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.production.moved import Part
from aquin.production.rows import Spoilt, changes_of
from aquin.production.unsent import Waiting


class FileOutbox:
    """A file of JSON lines, held by one program at a time. Those that earlier programs of this account left are taken
    over.
    """

    def __init__(self, folder: Path, who: str, name: str) -> None:
        self.waiting: tuple[Waiting, ...] = ()
        self.refused: tuple[Waiting, ...] = ()
        folder.mkdir(parents=True, exist_ok=True)
        account = who.encode().hex()
        self.path = folder / f"unsent-{account}-{name}.jsonl"
        self._out: Any = None
        for left in sorted(folder.glob(f"unsent-{account}-*.jsonl"), key=lambda p: p.stat().st_mtime):
            self._take_over(left)

    def add(self, item: Waiting) -> None:
        self._write({"add": _values(item)})
        self.waiting = (*self.waiting, item)

    def done(self, item: Waiting) -> None:
        self.waiting = tuple(i for i in self.waiting if i.id != item.id)
        self.refused = tuple(i for i in self.refused if i.id != item.id)
        if not self.waiting and not self.refused:
            self._clear()
        else:
            with suppress(AquinError):  # the server knows it by its id, should it be sent again
                self._write({"done": item.id})

    def refuse(self, item: Waiting) -> None:
        self.waiting = tuple(i for i in self.waiting if i.id != item.id)
        self.refused = (*self.refused, item)
        self._write({"refused": _values(item)})

    def close(self) -> None:
        if self._out is not None:
            self._out.close()
            self._out = None

    def _open(self) -> None:
        if self._out is None:
            self._out = self.path.open("a", encoding="utf-8")
            fcntl.flock(self._out, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def _write(self, line: dict[str, Any]) -> None:
        try:
            self._open()
            self._out.write(json.dumps(line, allow_nan=False, separators=(",", ":")) + "\n")
            self._out.flush()
            os.fsync(self._out.fileno())
        except OSError as error:
            raise AquinError(
                f"the line to the server is cut, and the change can't be kept here ({error.strerror})",
                self.path,
                "Free some space, and do it again",
            ) from error

    def _clear(self) -> None:
        """Nothing waits: the file is not needed."""
        with suppress(OSError):
            if self._out is not None:
                self.path.unlink(missing_ok=True)
                self.close()

    def _take_over(self, path: Path) -> None:
        """What an earlier program left, unless one that runs holds it. A line that was cut off while it was written is
        the last one, and was never reported as kept.
        """
        try:
            with path.open(encoding="utf-8", errors="replace") as held:
                fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
                waiting, refused = _read(held)
                for item in waiting:
                    self.add(item)
                for item in refused:
                    self.refuse(item)
                path.unlink()
        except OSError:
            return  # it is in use


def unsent_of(folder: Path, identity: str = "") -> Path:
    """Where what waits for a production is kept: by its identity, since a server may have several addresses. The
    folder of an address remembers that.
    """
    known = folder / "identity"
    with suppress(OSError):
        if identity:
            known.write_text(identity, encoding="utf-8")
        else:
            identity = known.read_text(encoding="utf-8").strip()
    return folder.parent / f"unsent-{identity}" if identity.isalnum() else folder


def waiting_in(folder: Path) -> int:
    """How many changes wait in a folder, whoever made them; nothing is taken over."""
    count = 0
    for path in folder.glob("unsent-*.jsonl"):
        with path.open(encoding="utf-8", errors="replace") as held:
            count += len(_read(held)[0])
    return count


def _read(lines: Any) -> tuple[list[Waiting], list[Waiting]]:
    waiting: dict[str, Waiting] = {}
    refused: dict[str, Waiting] = {}
    for line in lines:
        try:
            said = json.loads(line)
            if "add" in said:
                item = _item(said["add"])
                waiting[item.id] = item
            elif "refused" in said:
                item = _item(said["refused"])
                waiting.pop(item.id, None)
                refused[item.id] = item
            else:
                waiting.pop(said["done"], None)
                refused.pop(said["done"], None)
        except (ValueError, KeyError, TypeError, Spoilt, RecursionError):
            continue
    return list(waiting.values()), list(refused.values())


def _values(item: Waiting) -> dict[str, Any]:
    return asdict(item) | {"parts": [asdict(p) for p in item.parts]}


def _item(values: dict[str, Any]) -> Waiting:
    changes = changes_of(json.dumps(values["changes"]))
    parts = tuple(Part(**p) for p in values["parts"])
    return Waiting(**(values | {"changes": changes, "parts": parts}))
