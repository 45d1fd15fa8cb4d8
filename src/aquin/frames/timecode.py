"""Timecode to frame count and back (SMPTE ST 12-1): any whole rate, and those over 1.001 with or without drop frame."""

import re
from fractions import Fraction
from functools import lru_cache

from aquin.errors import AquinError

_FORM = re.compile(r"^(\d\d):(\d\d):(\d\d)[:;](\d\d\d?)$")
NEAR = Fraction(3, 10_000)
"""A rate that is this near to one in use is that one: files state averages."""


def usual_rate(rate: Fraction) -> Fraction:
    """The rate in use that is meant: a whole number, or one over 1.001; others stay as they are."""
    whole = round(rate)
    near = [Fraction(whole), Fraction(whole * 1000, 1001)] if whole else []
    fit = [r for r in near if abs(rate / r - 1) < NEAR]
    return min(fit, key=lambda r: abs(rate - r)) if fit else rate


@lru_cache(maxsize=65536)
def frames_of(timecode: str, rate: Fraction) -> int:
    """Frames since 00:00:00:00. A semicolon before the frames means drop frame. Raises AquinError."""
    text = timecode.strip()
    match = _FORM.match(text)
    nominal = round(float(rate))
    if match is not None and nominal > 0:
        hours, minutes, seconds, frames = (int(v) for v in match.groups())
        if hours < 24 and minutes < 60 and seconds < 60 and frames < nominal:
            count = ((hours * 60 + minutes) * 60 + seconds) * nominal + frames
            return count - _dropped(hours * 60 + minutes, nominal) if ";" in text else count
    raise AquinError(
        f"'{timecode}' is not a timecode at {float(rate):g} frames a second", None, "Write it as 01:02:03:04"
    )


def timecode_of(frames: int, rate: Fraction, drop: bool = False) -> str:
    """The timecode of a frame count; it wraps at 24 hours."""
    nominal = round(float(rate))
    drop = drop and _each_minute(nominal) > 0
    day = 24 * 3600 * nominal - (_dropped(24 * 60, nominal) if drop else 0)
    frames %= day
    if drop:
        each = _each_minute(nominal)
        tens, rest = divmod(frames, 600 * nominal - 9 * each)
        frames += 9 * each * tens
        if rest >= 60 * nominal:  # the first minute of ten keeps all its numbers
            frames += each * (1 + (rest - 60 * nominal) // (60 * nominal - each))
    seconds, frame = divmod(frames, nominal)
    minutes, second = divmod(seconds, 60)
    hour, minute = divmod(minutes, 60)
    return f"{hour:02d}:{minute:02d}:{second:02d}{';' if drop else ':'}{frame:02d}"


def _each_minute(nominal: int) -> int:
    """Numbers that drop frame leaves out in nine minutes of ten: 2 at 30, 4 at 60, 8 at 120."""
    return nominal // 15 if nominal % 30 == 0 else 0


def _dropped(minutes: int, nominal: int) -> int:
    return _each_minute(nominal) * (minutes - minutes // 10)
