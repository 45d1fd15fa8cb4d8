"""The OpenColorIO configuration of a release, for programs that manage colour as a whole: the cameras' encodings, a
look for each shot, and file rules that know each shot's encoding by its file's name.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import PyOpenColorIO as ocio

from aquin.errors import AquinError
from aquin.exchange import clf
from aquin.files import write_text
from aquin.look.look import Look

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig

SHOT = "SHOT"
"""The context variable that names the shot whose grade the views with grades show."""
BY_SHOT, LOOK, NONE = "shot grade", "production look", "as-filmed"
GRADED, PLAIN = "graded", "graded, no look"
SPREAD = ((-0.12, 0.0), (0.04, 0.06), (0.9, 0.95), (1.3, 1.0))
"""ACEScct over which a look is tabled, and the share of its points up to there."""
POINTS = 65


@dataclass(frozen=True)
class Placed:
    """A shot in the configuration: the stem of its files, its media's name, and its encoding."""

    stem: str
    media: str
    encoding: str


@dataclass(frozen=True)
class LookFile:
    """A look's file in `look/`, and the stems of the shots that wear it; none: all."""

    name: str
    file: str


def write_look_clf(path: Path, look: Look) -> None:
    """A look at its strength as CLF, ACEScct to ACEScct: a table of what it does to greys, channel by channel, and a 3D
    table of what is left, whose points crowd where pictures lie. Raises AquinError.
    """
    group = ocio.GroupTransform()
    group.getFormatMetadata().setID(look.name)
    at = np.array([value for value, _ in SPREAD])
    node = np.array([share for _, share in SPREAD])
    even = np.linspace(at[0], at[-1], 65_537)
    greys = np.asarray(look.apply(np.repeat(even[:, None], 3, axis=1)), np.float64)
    if (np.diff(greys, axis=0) <= 0).any():  # where greys are folded, nothing can be taken apart
        greys = np.repeat(even[:, None], 3, axis=1)
    span = (greys - greys[0]) / (greys[-1] - greys[0]) * (at[-1] - at[0]) + at[0]
    halves = clf.halves()
    table = [np.interp(np.interp(halves, even, span[:, k]), at, node) for k in range(3)]
    group.appendTransform(clf.by_channel(np.stack(table, axis=-1)))
    axis = np.interp(np.linspace(0, 1, POINTS), node, at)
    axes = [np.interp(axis, span[:, k], even) for k in range(3)]
    places = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    group.appendTransform(clf.table_of(np.asarray(look.apply(places), np.float64), POINTS))
    write_text(path, group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw()))


def write_config(
    folder: Path,
    base: ColourConfig,
    working: str,
    shots: Sequence[Placed],
    looks: Sequence[LookFile],
    screens: Sequence[tuple[str, str]],
    name: str,
) -> None:
    """Write `config/config.ocio` of a release in `folder`, whose `grades/*.clf` and `look/*.clf` are there already.
    `screens`: displays and views that get views with the shot's grade. Raises AquinError.
    """
    path = folder / "config" / "config.ocio"
    try:
        config = ocio.Config.CreateFromStream(base.text())
        for name_of_file, source in base.files():
            target = path.parent / name_of_file
            if not target.resolve().is_relative_to(path.parent.resolve()):
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source, target)
        held = [str(s) for s in config.getSearchPaths()]
        config.clearSearchPaths()
        for where in dict.fromkeys(
            [*(h for h in held if not Path(h).is_absolute()), ".", "../grades", "../look"]
        ):
            config.addSearchPath(where)
        config.setName("")
        config.setDescription(f"{name}. Set {SHOT} to a shot's name for the views called '{GRADED}'.")
        _looks(config, working, shots, looks)
        _views(config, screens, bool(looks))
        _rules(config, shots)
        config.validate()
        text = str(config.serialize())
    except ocio.Exception as error:
        words = str(error).strip().splitlines()[0][:200]
        raise AquinError(
            f"the configuration can't be made ({words})", path, "Leave it out of the release"
        ) from error
    write_text(folder / "grades" / f"{NONE}.clf", _nothing())
    write_text(path, text)


def _nothing() -> str:
    group = ocio.GroupTransform()
    group.getFormatMetadata().setID(NONE)
    group.appendTransform(ocio.MatrixTransform())
    return str(group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw()))


def _looks(config: Any, working: str, shots: Sequence[Placed], looks: Sequence[LookFile]) -> None:
    config.addEnvironmentVar(SHOT, NONE)
    made = [(BY_SHOT, f"${{{SHOT}}}.clf", f"The grade of the shot that {SHOT} names")]
    made += [(f"grade {s.stem}", f"{s.stem}.clf", "") for s in shots]
    made += [(LOOK if k == 0 else f"look {k + 1}", look.file, look.name) for k, look in enumerate(looks)]
    for name, file, words in made:
        transform = ocio.FileTransform(file, interpolation=ocio.INTERP_TETRAHEDRAL)
        config.addLook(ocio.Look(name=name, processSpace=working, transform=transform, description=words))


def _views(config: Any, screens: Sequence[tuple[str, str]], look: bool) -> None:
    for display, view in screens:
        through = config.getDisplayViewTransformName(display, view)
        space = config.getDisplayViewColorSpaceName(display, view)
        if space.startswith("<"):
            space = display
        worn = config.getDisplayViewLooks(display, view)
        for title, looks in ((GRADED, [BY_SHOT, *([LOOK] if look else [])]), (PLAIN, [BY_SHOT])):
            text = ", ".join(["+" + name for name in looks] + ([worn] if worn else []))
            config.addDisplayView(display, f"{view}, {title}", through, space, text, "", "")
    active = str(config.getActiveViews())
    if active:
        for _, view in screens:
            for title in (GRADED, PLAIN):
                config.addActiveView(f"{view}, {title}")


def _rules(config: Any, shots: Iterable[Placed]) -> None:
    """Before the rules that are there: each medium by its name."""
    rules = config.getFileRules()
    known = {rules.getName(k) for k in range(rules.getNumEntries())}
    seen = set[str]()
    for k, shot in enumerate(shots):
        pattern = f"*{_plain(Path(shot.media).stem)}*"
        if pattern in seen or shot.stem in known:
            continue
        seen.add(pattern)
        rules.insertRule(min(k, len(seen) - 1), f"shot {shot.stem}", shot.encoding, pattern, "*")
    config.setFileRules(rules)


def _plain(text: str) -> str:
    """Without the signs that mean something in a pattern."""
    return "".join("?" if c in "*?[]!\\" else c for c in text)
