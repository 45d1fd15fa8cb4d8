"""What one person's machine remembers over productions: how report columns are read, and which encoding a
camera had.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.files import write_text


@dataclass
class Remembered:
    """A small JSON file. `mappings`: report signature to field and column. `cameras`: camera name to encoding, range,
    note.
    """

    path: Path
    mappings: dict[str, dict[str, str]] = field(default_factory=dict)
    cameras: dict[str, dict[str, str]] = field(default_factory=dict)

    @classmethod
    def read(cls, path: Path) -> "Remembered":
        """A file that is missing or not readable remembers nothing; a broken one is kept aside."""
        try:
            data: Any = (
                json.loads(path.read_text(encoding="utf-8")) if path.stat().st_size < 5_000_000 else None
            )
            return cls(path, _words(data["mappings"]), _words(data["cameras"]))
        except OSError:
            return cls(path)
        except (ValueError, KeyError, TypeError, AttributeError):
            path.replace(path.with_suffix(".broken"))
            return cls(path)

    def write(self) -> None:
        """Raises AquinError."""
        text = json.dumps({"mappings": self.mappings, "cameras": self.cameras}, indent=1)
        write_text(self.path, text, force=True)

    def keep_mapping(self, signature: str, mapping: Mapping[str, str]) -> None:
        """Remember how a report's columns are read. Raises AquinError."""
        self.mappings[signature] = dict(mapping)
        self.write()

    def keep_camera(self, name: str, encoding: str, range: str = "", note: str = "") -> None:
        """Remember how a camera is converted, for other productions."""
        if not name or not encoding:
            raise AquinError(
                "a preset needs a camera's name and its encoding", None, "Choose the encoding first"
            )
        self.cameras[name] = {"encoding": encoding, "range": range, "note": note}
        self.write()


def _words(data: Any) -> dict[str, dict[str, str]]:
    return {str(k): {str(a): str(b) for a, b in v.items()} for k, v in data.items()}
