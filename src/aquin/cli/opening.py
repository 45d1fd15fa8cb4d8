"""What commands open: productions, configurations, files; and the words of options that name them."""

import getpass
import sys
from collections.abc import Callable
from contextlib import suppress
from fractions import Fraction
from pathlib import Path
from typing import Any, TypeVar

from aquin import cluster
from aquin.errors import AquinError
from aquin.production.address import NeedsPassword

T = TypeVar("T")
TRIES = 3
"""Passwords that are asked for."""


class opened:
    """Open a production for one command, with its notes on stderr, and close it whatever happens."""

    def __init__(self, file: Path, read_only: bool = False) -> None:
        self.file, self.read_only = file, read_only

    def __enter__(self) -> Any:
        from aquin.production import Production

        self.production = asking(lambda: Production.open(self.file, self.read_only))
        for note in self.production.notes:
            print(f"aquin: {note}", file=sys.stderr)
        if cluster.current is not None:
            from aquin.production.media import shared_roots

            cluster.current.roots = shared_roots(self.production)
        return self.production

    def __exit__(self, *error: object) -> None:
        if self.production.waiting:
            with suppress(AquinError):
                self.production.send()
        if count := len(self.production.waiting):
            said = f"{count} change{'' if count == 1 else 's'}"
            print(
                f"aquin: the line to the server is cut: {said} wait here, and are sent at the next opening",
                file=sys.stderr,
            )
        for item in self.production.refused:
            print(f"aquin: not sent: {item.words} (see: aquin unsent)", file=sys.stderr)
        self.production.close()


def asking(work: Callable[[], T]) -> T:
    """Do something that may need a server's password, which is asked for where somebody sits at a terminal. Raises
    AquinError.
    """
    from aquin.production.server.secrets import forget, keep_secret

    for _ in range(TRIES):
        try:
            return work()
        except NeedsPassword as error:
            if not sys.stdin.isatty():
                raise
            forget(error.address)
            word = getpass.getpass(f"Password for {error.address.server}: ")
            good = input("Keep it in this computer's keyring? [y/N] ").strip().lower() == "y"
            if not keep_secret(error.address, word, good):
                print("aquin: this computer has no keyring: it is used this once", file=sys.stderr)
    return work()


def named_config(path: Path) -> Path | None:
    """The file of --config; None for the built-in one."""
    return None if str(path) == "builtin" else path


def config_at(path: Path | None, beside: Path | None = None) -> Any:
    """The configuration of --config, or the one that belongs to a file. Raises AquinError."""
    from aquin.colour.config import ColourConfig

    return ColourConfig.find(path, beside)


def clip_at(
    file: Path,
    encoding: str,
    config: Any,
    matrix: str | None = None,
    range: str | None = None,
    decode: Any = None,
) -> Any:
    """A file with its encoding. Raises AquinError."""
    from aquin.measure.clip import Clip

    if matrix not in (None, "bt601", "bt709", "bt2020"):
        raise AquinError(f"there is no matrix '{matrix}'", None, "Use bt601, bt709 or bt2020")
    if range not in (None, "full", "legal"):
        raise AquinError(f"there is no range '{range}'", None, "Use full or legal")
    return Clip.open(file, encoding, config, matrix, range, decode)  # type: ignore[arg-type]


def number_in(clip: Any, frame: int | None, timecode: str | None) -> int | None:
    """The frame that is meant; None for the first one. Raises AquinError."""
    if timecode is None:
        return frame
    return int(clip.source.number_at(timecode))


def corners_in(text: str | None) -> tuple[tuple[float, float], ...]:
    """`x,y` four times; none where nothing is given. Raises AquinError."""
    if text is None:
        return ()
    try:
        numbers = [float(t) for t in text.replace(";", ",").split(",")]
    except ValueError:
        numbers = []
    if len(numbers) != 8:
        raise AquinError(
            "--corners needs eight numbers",
            None,
            "Write x,y four times, with commas: 10,12,200,14,198,150,9,149",
        )
    return tuple((numbers[k], numbers[k + 1]) for k in (0, 2, 4, 6))


def pairs_in(
    texts: list[str], option: str = "--pair"
) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
    """`X,Y:X,Y` as places. Raises AquinError."""
    out = []
    for text in texts:
        try:
            (ax, ay), (bx, by) = (tuple(float(v) for v in side.split(",")) for side in text.split(":"))
        except ValueError as error:
            raise AquinError(
                f"'{text}' is no pair of places", None, f"Write {option} X,Y:X,Y in pixels"
            ) from error
        out.append(((ax, ay), (bx, by)))
    return tuple(out)


def stops_in(text: str | None) -> tuple[float, ...]:
    """Numbers with commas; none for what is none."""
    try:
        return tuple(float(t) for t in (text or "").split(",") if t.strip())
    except ValueError:
        return ()


def decode_in(text: str | None, layer: str | None = None) -> Any:
    """The settings that --develop names, with the picture of --layer; None where neither is given. Raises
    AquinError.
    """
    from aquin.frames import Decode

    if text is None and layer is None:
        return None
    values: dict[str, Any] = {} if layer is None else {"layer": layer}
    try:
        for item in filter(None, (text or "").split(",")):
            key, sign, value = item.partition("=")
            key = key.strip()
            if key == "half":
                values[key] = value.strip().lower() not in ("0", "no", "false")
            elif not sign:
                raise ValueError(f"'{item}' has no value")
            else:
                values[key] = value.strip() if key == "highlights" else float(value)
        return Decode.of(values)
    except (ValueError, TypeError) as error:
        raise AquinError(
            f"--develop can't be used ({error})",
            None,
            "For example: exposure=1,kelvin=5600,highlights=clip,half",
        ) from error


def limits_in(text: str | None) -> Any:
    """Limits of a latitude by name with commas. Raises AquinError."""
    from aquin.charts.latitude import Limits

    known = Limits().__dict__
    values = dict(known)
    try:
        for item in filter(None, (text or "").split(",")):
            key, _, value = item.partition("=")
            if key.strip() not in known:
                raise ValueError(f"there is no limit '{key.strip()}'")
            values[key.strip()] = type(known[key.strip()])(float(value))
        return Limits(**values)
    except (ValueError, OverflowError) as error:
        raise AquinError(f"--limits can't be used ({error})", None, f"Names: {', '.join(known)}") from error


def rate_in(text: str) -> Fraction:
    """Frames a second. Raises AquinError."""
    known = {
        "23.976": Fraction(24000, 1001),
        "23.98": Fraction(24000, 1001),
        "29.97": Fraction(30000, 1001),
        "59.94": Fraction(60000, 1001),
    }
    try:
        rate = known.get(text) or Fraction(text)
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    if not 1 <= rate <= 240:
        raise AquinError(f"'{text}' is no frame rate", None, "Use 24, 25, 29.97 or 30")
    return rate


def shot_of(production: Any, name: str, file: Path) -> Any:
    """A shot by its name. Raises AquinError."""
    from aquin.production.records import Shot

    found = [s for s in production.all(Shot) if s.name == name]
    if not found:
        raise AquinError(
            f"there is no shot '{name}'", file, "Names are in the Shots view, and in: aquin measure"
        )
    if len(found) > 1:
        raise AquinError(f"{len(found)} shots are called '{name}'", file, "Rename them in the Shots view")
    return found[0]


def look_in(production: Any, config: Any, shot: Any, name: str | None) -> Any:
    """The look of that name, none for `off`; without a name the one that is on for the shot. Raises AquinError."""
    from aquin.production.looks import look_for, named

    if name is None:
        return look_for(production, config, shot.setup_id)
    if name == "off":
        return None
    held = named(production, config, name)
    if held.look is None:
        raise AquinError(
            f"the look '{name}' can't be used: {held.trouble}", production.place, "Import it again"
        )
    return held.look


def models_in(text: str) -> list[str]:
    """Models by name with commas, or all. Raises AquinError."""
    from aquin.charts.solve import BASES, FLARED, MODELS, WARPED

    if text.strip() == "all":
        return [*BASES, *FLARED, *WARPED]
    found = [t.strip() for t in text.split(",") if t.strip()]
    wrong = [t for t in found if t not in MODELS]
    if wrong or not found:
        raise AquinError(
            f"there is no model '{', '.join(wrong) or text}'", None, f"There are: {', '.join(MODELS)}"
        )
    return found


def metric_in(name: str) -> Any:
    """A metric by name. Raises AquinError."""
    from aquin.charts.fits import METRICS

    for key, metric in METRICS.items():
        if key.replace(" ", "").lower() == name.replace(" ", "").lower():
            return metric
    raise AquinError(f"there is no metric '{name}'", None, f"There are: {', '.join(METRICS)}")
