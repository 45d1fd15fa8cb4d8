"""Names of files from names of things."""

from collections.abc import Iterable

LONGEST = 120
"""Bytes of a name that go into a file's: file systems take 255, and endings come after it."""


def safe_name(name: str) -> str:
    """A camera's or shot's name as part of a file name: letters, digits, - and _, not too long."""
    kept = "".join(c if c.isalnum() or c in "-_" else "-" for c in name).strip("-") or "unnamed"
    return kept.encode()[:LONGEST].decode("utf-8", "ignore")


def safe_names(names: Iterable[str]) -> list[str]:
    """The same for several: two that would be one get a number, also where only capitals tell them apart."""
    taken: set[str] = set()
    out = []
    for name in map(safe_name, names):
        free = next(n for n in (name, *(f"{name}-{k}" for k in range(2, 10_000))) if n.lower() not in taken)
        taken.add(free.lower())
        out.append(free)
    return out
