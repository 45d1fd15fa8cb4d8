"""The media of a release in a folder: found by what they hold."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.production.media import content_of, walk


class Media:
    """A folder that media are looked for in. Raises AquinError where it is none."""

    def __init__(self, folder: Path) -> None:
        if not folder.is_dir():
            raise AquinError(
                "the folder does not exist", folder, "Check the name, or whether its drive is connected"
            )
        self.folder = folder
        self._names: dict[str, list[Path]] | None = None
        self._held: dict[Path, str] = {}

    def state(self, shot: Mapping[str, Any]) -> str:
        """`same`, `other` or `missing`."""
        if self.find(shot) is not None:
            return "same"
        return "other" if self._likely(shot) else "missing"

    def find(self, shot: Mapping[str, Any]) -> Path | None:
        """The file of a shot that holds what it held when it was released."""
        for path in [*self._likely(shot), *self._alike(shot)]:
            if self._content(path) == shot["content"]:
                return path
        return None

    def _likely(self, shot: Mapping[str, Any]) -> list[Path]:
        tail = Path(str(shot["path"]))
        if tail.is_absolute() or ".." in tail.parts:
            return []
        tried = [self.folder / Path(*tail.parts[k:]) for k in range(len(tail.parts))]
        by_name = self._by_name().get(tail.name, [])
        return list(dict.fromkeys([*(p for p in tried if p.is_file()), *by_name]))

    def _alike(self, shot: Mapping[str, Any]) -> list[Path]:
        """Files of its kind under other names."""
        suffix = Path(str(shot["path"])).suffix.lower()
        return [p for paths in self._by_name().values() for p in paths if p.suffix.lower() == suffix]

    def _by_name(self) -> dict[str, list[Path]]:
        if self._names is None:
            self._names = {}
            for path in walk(self.folder):
                self._names.setdefault(path.name, []).append(path)
        return self._names

    def _content(self, path: Path) -> str:
        if path not in self._held:
            try:
                self._held[path] = content_of(path)[2]
            except OSError:
                self._held[path] = ""
        return self._held[path]
