"""How numbers and lists are written for people."""

import re
from collections.abc import Sequence

_HYPHEN = re.compile(r"(?<![\w.])-(?=\d)")


def minus(text: str) -> str:
    """A text with true minus signs before its numbers; names with hyphens stay as they are."""
    return _HYPHEN.sub("−", text)


def few(names: Sequence[str], most: int = 2) -> str:
    """The first of some names, and how many more there are."""
    return ", ".join(names[:most]) + (f" and {len(names) - most} more" if len(names) > most else "")


def sentence(text: str) -> str:
    """With a capital first letter; names in it stay as they are written."""
    return text[:1].upper() + text[1:]
