"""Inputs made bad: bytes flipped, numbers put out of reach, letters of no alphabet, things in things without end."""

import copy
import json
import random
import re
from typing import Any

NUMBERS = [
    *(
        b"NaN",
        b"inf",
        b"-inf",
        b"1e309",
        b"1" + b"0" * 400,
        b"9" * 5000,
        b"-1",
        b"0",
        b"1e-320",
        b"0x10",
        b"",
    ),
    *(b"\xd9\xa3", b"1_0", b"4294967296", b"18446744073709551616", b"1e38", b"-0.0"),
]
WORDS = [
    *(
        b"",
        b"x" * 100_000,
        b"<b>",
        b"\0",
        b"\xff\xfe",
        b'"',
        b"'",
        b"\n",
        b"../../../etc/passwd",
        b"=1+1",
        b"null",
    ),
    b"\xe2\x80\xae",
]
VALUES: list[Any] = [
    *(
        None,
        [],
        {},
        "",
        "x",
        True,
        -1,
        0,
        1e308,
        float("nan"),
        float("inf"),
        10**400,
        [1],
        [[]],
        {"a": 1},
        "NaN",
    ),
    *("x" * 50_000, ["a"] * 3, 10**18, "\u202e", "<b>x</b>", "\x00"),
]


def bytes_of(data: bytes, rng: random.Random) -> bytes:
    """Some bytes changed, left out, doubled or added."""
    out = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 3, 8, 30])):
        if not out:
            break
        at = rng.randrange(min(len(out), 400) if rng.random() < 0.5 else len(out))
        kind = rng.randrange(6)
        if kind == 0:
            out[at] ^= 1 << rng.randrange(8)
        elif kind == 1:
            out[at : at + 4] = rng.choice([b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff", b"\0\0\x80\x7f"])
        elif kind == 2 and rng.random() < 0.4:
            del out[at:]
        elif kind == 3:
            del out[at : at + rng.choice([1, 2, 16, 100])]
        elif kind == 4:
            out[at:at] = rng.randbytes(rng.choice([1, 4, 20]))
        else:
            other = rng.randrange(len(out))
            out[at : at + 16] = out[other : other + 16]
    return bytes(out)


def text_of(data: bytes, rng: random.Random) -> bytes:
    """Numbers and words changed, lines mixed."""
    kind = rng.randrange(8)
    if kind < 5:
        pattern, pool = (rb"-?\d+\.?\d*(?:e-?\d+)?", NUMBERS) if kind < 3 else (rb"\w+", WORDS)
        hits = list(re.finditer(pattern, data))
        for hit in sorted(rng.sample(hits, min(len(hits), rng.choice([1, 1, 3]))), key=lambda m: -m.start()):
            data = data[: hit.start()] + rng.choice(pool) + data[hit.end() :]
        return data
    lines = data.split(b"\n")
    if kind == 5:
        rng.shuffle(lines)
        return b"\n".join(lines)
    return bytes_of(data, rng)


def json_of(data: bytes, rng: random.Random) -> bytes:
    """Values of a JSON file changed, left out or doubled; now and then its text."""
    if rng.random() < 0.25:
        return text_of(data, rng)
    held = json.loads(data)
    for _ in range(rng.choice([1, 1, 2, 3])):
        path = rng.choice(list(_paths(held)))
        if not path:
            continue
        inner: Any = held
        try:
            for key in path[:-1]:
                inner = inner[key]
            if rng.randrange(5) == 0:
                del inner[path[-1]]
            else:
                inner[path[-1]] = copy.deepcopy(rng.choice(VALUES))
        except (KeyError, IndexError, TypeError):
            continue
    return json.dumps(held).encode("utf-8", "surrogatepass")


def _paths(held: Any, path: tuple[Any, ...] = ()) -> Any:
    yield path
    for key in held if isinstance(held, dict) else range(len(held)) if isinstance(held, list) else ():
        yield from _paths(held[key], (*path, key))


def nested(depth: int) -> bytes:
    return b"[" * depth + b"]" * depth
