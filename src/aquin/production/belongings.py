"""Files that lie beside a production and belong to it."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.production.records import Grade, Option

if TYPE_CHECKING:
    from aquin.production.store import Production


def files_of(production: Production) -> list[Path]:
    """Files that lie beside the production and belong to it: those that its records and options name."""
    base = production.path.parent
    words: set[str] = set()

    def look(value: Any) -> None:
        if isinstance(value, str) and re.fullmatch(r"[^/\0]{1,200}\.[A-Za-z0-9]{2,5}", value):
            words.add(value)
        elif isinstance(value, dict):
            for v in value.values():
                look(v)
        elif isinstance(value, list | tuple):
            for v in value:
                look(v)

    look(production.option("config"))
    for grade in production.all(Grade):
        look(dict(grade.values))
    for option in production.all(Option):
        look(option.value)
    found = [base / w for w in sorted(words) if (base / w).is_file()]
    config = base / "config.ocio"
    if production.option("config") is None and config.is_file():
        found.append(config)
    for path in [p for p in found if p.suffix == ".ocio"]:
        found += [q for q in named_in(path, base) if q not in found]
    return found


def named_in(config: Path, base: Path) -> list[Path]:
    """Files beside a configuration that it names."""
    text = config.read_text(encoding="utf-8", errors="replace")
    names = re.findall(r"src:\s*\"?([^\s,}\"]+)", text)
    return [base / n for n in sorted(set(names)) if "/" not in n and (base / n).is_file()]
