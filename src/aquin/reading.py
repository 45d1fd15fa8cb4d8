"""Text from outside, read within limits: a file that is none, is too large, too deep, or holds numbers without end is
refused before anything is made of it.
"""

import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from stat import S_ISREG
from typing import Any

from aquin.errors import AquinError

DEPTH = 60
"""Lists and mappings in each other that JSON may hold."""

DIGITS = 20
"""Digits of a whole number; no quantity here has more."""

LINES = 2_200_000
"""Lines of a list of numbers: 129 points a side are 2,146,689."""

LINE = 4096
"""Characters of a line of a list of numbers."""

_STRING = re.compile(r'"(?:[^"\\]|\\.)*"')
_BRACKET = re.compile(r"[\[\]{}]")


def check_file(path: Path, most: int) -> None:
    """That it is a file of at most so many bytes. Raises OSError or ValueError."""
    found = path.stat()
    if not S_ISREG(found.st_mode):
        raise ValueError("a folder, a pipe or a device is no file")
    if found.st_size > most:
        raise ValueError(f"the file is too large, {found.st_size} of at most {most} bytes")


@contextmanager
def read_or_refused(path: Path, what: str, remedy: str) -> Iterator[None]:
    """Reads in it that fail or are refused raise AquinError: `what` can't be read, with `remedy` for its content."""
    try:
        yield
    except OSError as error:
        raise AquinError(f"{what} can't be read ({error.strerror})", path, "Check the name") from error
    except ValueError as error:
        raise AquinError(f"{what} can't be read ({error})", path, remedy) from error


def bytes_of(path: Path, most: int, what: str, remedy: str) -> bytes:
    """A file's content, at most so many bytes of it. Raises AquinError."""
    with read_or_refused(path, what, remedy):
        check_file(path, most)
        return path.read_bytes()


def text_of(path: Path, most: int) -> str:
    """A file's text in UTF-8. Raises OSError or ValueError."""
    check_file(path, most)
    return path.read_text(encoding="utf-8")


def lines_of(path: Path, most: int) -> Iterator[str]:
    """A file's lines, none of them without end. Raises OSError or ValueError."""
    check_file(path, most)
    with path.open(encoding="utf-8") as stream:
        count = 0
        while line := stream.readline(LINE):
            count += 1
            if count > LINES:
                raise ValueError(f"it has more than {LINES} lines")
            if len(line) == LINE and not line.endswith("\n"):
                raise ValueError(f"a line has more than {LINE} characters")
            yield line


def json_of(path: Path, most: int, depth: int = DEPTH) -> Any:
    """What a JSON file holds. Raises OSError or ValueError."""
    return values_of(text_of(path, most), depth)


def values_of(text: str, depth: int = DEPTH) -> Any:
    """What JSON holds: numbers are finite, and text can be written again. Raises ValueError."""
    held = most = 0
    for match in _BRACKET.finditer(_STRING.sub("", text)):
        held += 1 if match[0] in "[{" else -1
        most = max(most, held)
    if most > depth:
        raise ValueError(f"lists and mappings lie {most} deep in each other, at most {depth} are read")
    values = json.loads(text, parse_int=_whole, parse_float=_number, parse_constant=_no_number)
    if "\\u" in text:
        json.dumps(values, ensure_ascii=False).encode("utf-8")  # half a character is refused
    return values


def _whole(text: str) -> int:
    if len(text) > DIGITS:
        raise ValueError(f"a number of {len(text)} digits")
    return int(text)


def _number(text: str) -> float:
    value = float(text)
    if value in (float("inf"), float("-inf")):
        raise ValueError(f"{text[:20]} is too large a number")
    return value


def _no_number(text: str) -> float:
    raise ValueError(f"{text} is no number")
