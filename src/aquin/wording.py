"""How numbers are written for people."""

import re

_HYPHEN = re.compile(r"(?<![\w.])-(?=\d)")


def minus(text: str) -> str:
    """A text with true minus signs before its numbers; names with hyphens stay as they are."""
    return _HYPHEN.sub("−", text)
