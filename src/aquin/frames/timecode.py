"""Timecode to frame count and back (SMPTE ST 12-1), through OpenTimelineIO's rational time."""

import re
from fractions import Fraction

from aquin.errors import AquinError

_FORM = re.compile(r"^(\d\d):(\d\d):(\d\d)[:;](\d\d\d?)$")


def frames_of(timecode: str, rate: Fraction) -> int:
    """Frames since 00:00:00:00. A semicolon before the frames means drop frame. Raises AquinError."""
    from opentimelineio import opentime

    match = _FORM.match(timecode.strip())
    nominal = round(float(rate))
    try:
        if (
            match is None
            or int(match[1]) > 23
            or int(match[2]) > 59
            or int(match[3]) > 59
            or int(match[4]) >= nominal
        ):
            raise ValueError
        return int(opentime.from_timecode(timecode.strip(), float(rate)).value)
    except (ValueError, TypeError) as error:
        raise AquinError(
            f"'{timecode}' is not a timecode at {float(rate):g} frames a second",
            None,
            "Write it as 01:02:03:04",
        ) from error


def timecode_of(frames: int, rate: Fraction, drop: bool = False) -> str:
    """The timecode of a frame count; it wraps at 24 hours."""
    from opentimelineio import opentime

    nominal = round(float(rate))
    day = 24 * 3600 * nominal
    if drop:
        day -= 24 * 54 * nominal // 15  # drop frame leaves out 2 numbers (4 at 60) in 54 minutes of each hour
    time = opentime.RationalTime(frames % day, float(rate))
    return str(opentime.to_timecode(time, float(rate), drop))
