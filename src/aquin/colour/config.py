"""The colour configuration: OpenColorIO's built-in studio configuration, or a file, plus a production's cameras."""

import copy
import os
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour.config_files import as_read, check_files, files_missing, files_named, parsed, written
from aquin.colour.encoding import CameraEncoding, MeasuredEncoding
from aquin.colour.primaries import AP0_TO_AP1
from aquin.errors import AquinError
from aquin.remembered import Remembered, mark
from aquin.trusted import ask_first

_INTERCHANGE = "aces_interchange"
_DISPLAY_INTERCHANGE = "cie_xyz_d65_interchange"


@dataclass(frozen=True)
class Encoding:
    """A colour space of the configuration as it is offered to the person."""

    name: str
    family: str
    """Where the configuration files it."""
    kind: str
    aliases: tuple[str, ...]
    """Other names that find it."""
    description: str = ""

    def fits(self, words: str) -> bool:
        """True when every word occurs in the name, family, kind or an alias."""
        text = " ".join((self.name, self.family, self.kind, *self.aliases)).lower()
        return all(word in text for word in words.lower().split())


BUILTIN = "builtin"
"""What stands for the built-in configuration where a file may be named."""


class ColourConfig:
    """An OpenColorIO configuration and the few things Aquin asks of it. Processors are safe to use from threads."""

    def __init__(self, config: Any, label: str) -> None:
        self._config = config
        self.label = label
        self.path: Path | None = None
        self._ready: dict[tuple[str, ...], Processor] = {}
        self._prints: dict[str, str] = {}
        self._known: tuple[Encoding, ...] | None = None
        self.missing: dict[str, str] = {}
        """Encodings that can't be used, since a file that they name is not there, and that file."""

    @classmethod
    def load(cls, path: str | Path | None = None) -> "ColourConfig":
        """A config file, or with None the newest built-in studio configuration. Raises AquinError."""
        if path is None:
            names = [entry[0] for entry in ocio.BuiltinConfigRegistry().getBuiltinConfigs()]
            newest = [name for name in names if name.startswith("studio-config")][-1]
            return _builtin(newest).again()
        path = Path(path)
        if not path.is_file():
            raise AquinError("the colour configuration does not exist", path, "Check --config")
        try:
            config = parsed(path)
        except (ocio.Exception, UnicodeDecodeError, OSError) as error:
            raise AquinError(
                f"the colour configuration can't be used ({_first(error)})", path, "Check the file"
            ) from error
        check_files(config, path)
        if not config.hasRole(_INTERCHANGE):
            raise AquinError(
                "the colour configuration has no role 'aces_interchange'", path, "Add it, or use another"
            )
        made = cls(config, path.name)
        made.path = path.absolute()
        made.missing = files_missing(config)
        return made

    def again(self) -> "ColourConfig":
        """The same configuration for somebody else; what was made ready is shared."""
        made = ColourConfig(self._config, self.label)
        made._ready, made._prints = self._ready, self._prints
        return made

    @classmethod
    def find(cls, path: str | Path | None, beside: str | Path | None = None) -> "ColourConfig":
        """The named file (`builtin`: the built-in one), else the production's own `config.ocio` beside a media file or
        up to three folders up, else the built-in. Raises AquinError; Unasked where nobody has said yet that the one
        that was found may be used.
        """
        if str(path) == BUILTIN:
            return cls.load()
        if path is None and beside is not None:
            near = list(Path(beside).absolute().parents)[:4]
            path = next((p for p in (folder / "config.ocio" for folder in near) if p.is_file()), None)
            if path is not None:
                ask_first(path)
        return cls.load(path)

    def with_encodings(self, *cameras: CameraEncoding | MeasuredEncoding) -> "ColourConfig":
        """A copy that also knows these camera encodings. Raises AquinError when a name is taken by another space."""
        config = copy.deepcopy(self._config)
        for camera in cameras:
            known = config.getColorSpace(camera.name)
            if known is not None and known.getFamily() != "Input/Production":
                raise AquinError(
                    f"the name '{camera.name}' is taken in the configuration", None, "Choose another name"
                )
            config.addColorSpace(as_read(camera.colour_space()))
            if getattr(camera, "file", "") and not config.getSearchPath():
                config.setSearchPath(".")  # beside the configuration
        made = ColourConfig(config, f"{self.label} + {', '.join(c.name for c in cameras)}")
        made.missing = self.missing
        return made

    def text(self) -> str:
        """The configuration as the text of a config.ocio file."""
        return str(self._config.serialize())

    def is_written(self, path: Path, text: str) -> None:
        """It was written to `path` as `text`, which needs not be read again in this process. Raises AquinError."""
        try:
            written(path, text, self._config)
        except ocio.Exception as error:
            raise AquinError(
                f"the colour configuration can't be used ({_first(error)})", path, "Check the file"
            ) from error

    def files(self) -> list[tuple[str, Path]]:
        """The files that its transforms name and where they are, those with a relative name; missing ones are left
        out.
        """
        context, out = self._config.getCurrentContext(), {}
        for src in files_named(self._config):
            if src in out or Path(src).is_absolute():
                continue
            try:
                out[src] = Path(context.resolveFileLocation(src))
            except ocio.Exception:
                continue
        return [(name, path) for name, path in out.items() if path.is_file()]

    def encodings(self) -> list[Encoding]:
        """All colour spaces that hold pictures (no data), in the configuration's order, production cameras first."""
        if self._known is None:
            spaces = [s for s in self._config.getColorSpaces() if self._usable(s)]
            found = [
                Encoding(
                    s.getName(), s.getFamily(), s.getEncoding(), tuple(s.getAliases()), s.getDescription()
                )
                for s in spaces
            ]
            self._known = tuple(sorted(found, key=lambda e: e.family != "Input/Production"))
        return list(self._known)

    def name_of(self, name: str) -> str:
        """The name of the colour space that a name, alias or role stands for; empty where there is none."""
        space = self._config.getColorSpace(name) if name else None
        return str(space.getName()) if space is not None and self._usable(space) else ""

    def _usable(self, space: Any) -> bool:
        return not space.isData() and space.getName() not in self.missing

    def resolve(self, name: str) -> str:
        """The name of the colour space that a name, alias or role stands for. Raises AquinError with the nearest
        names.
        """
        found = self.name_of(name)
        if not found:
            self._check_there(name)
            known = self.encodings()
            near = [e.name for e in known if e.fits(name)] or _nearest(name, [e.name for e in known])
            raise AquinError(
                f"the configuration has no encoding '{name}'",
                None,
                f"Near it: {', '.join(near[:4])}. See: aquin encodings",
            )
        return found

    def missing_file(self, name: str) -> str:
        """The file for want of which an encoding can't be used; empty where that is not why."""
        space = self._config.getColorSpace(name) if name else None
        return self.missing.get(space.getName(), "") if space is not None else ""

    def _check_there(self, name: str) -> None:
        """Raises AquinError for an encoding whose file is missing."""
        if file := self.missing_file(name):
            folder = self.path.parent if self.path is not None else Path()
            raise AquinError(
                f"the encoding '{name}' needs a file that is not there",
                folder / file,
                "Copy it there from where the production was, or choose another encoding",
            )

    def displays(self) -> list[tuple[str, list[str]]]:
        """Each display with its views."""
        return [(d, list(self._config.getViews(d))) for d in self._config.getDisplays()]

    def default_view(self) -> tuple[str, str]:
        """A BT.1886 display with its first view where there is one, else the configuration's default."""
        for display, views in self.displays():
            if "1886" in display and views:
                return display, views[0]
        display = self._config.getDefaultDisplay()
        return display, self._config.getDefaultView(display)

    def is_plain(self, display: str, view: str) -> bool:
        """Whether a view makes a picture, and with no look of its own."""
        space = self._config.getColorSpace(self._config.getDisplayViewColorSpaceName(display, view) or "")
        raw = space is not None and bool(space.isData())
        return not raw and not self._config.getDisplayViewLooks(display, view)

    def to_linear(self, encoding: str) -> "Processor":
        """Encoding to scene-linear AP1."""
        group = ocio.GroupTransform()
        group.appendTransform(ocio.ColorSpaceTransform(src=self.resolve(encoding), dst=_INTERCHANGE))
        group.appendTransform(_matrix(AP0_TO_AP1))
        return self._processor(group, "to linear", encoding)

    def steps_to_linear(self, encoding: str) -> list[Any]:
        """Encoding to scene-linear AP1 as OpenColorIO's own steps, to be written into a file."""
        group = ocio.GroupTransform()
        group.appendTransform(ocio.ColorSpaceTransform(src=self.resolve(encoding), dst=_INTERCHANGE))
        group.appendTransform(_matrix(AP0_TO_AP1))
        built = self._config.getProcessor(group).getOptimizedProcessor(ocio.OPTIMIZATION_LOSSLESS)
        return list(built.createGroupTransform())

    def fingerprint(self, encoding: str) -> str:
        """Changes when what the encoding means in this configuration does."""
        if encoding not in self._prints:
            transform = ocio.ColorSpaceTransform(src=self.resolve(encoding), dst=_INTERCHANGE)
            self._prints[encoding] = str(self._config.getProcessor(transform).getCacheID())
        return self._prints[encoding]

    def meaning(self, encoding: str) -> str:
        """The fingerprint of an encoding, also of one that can't be used, and of none."""
        if encoding and not self.name_of(encoding):
            return f"unknown {encoding}"
        return self.fingerprint(encoding) if encoding else ""

    def from_linear(self, encoding: str) -> "Processor":
        """Scene-linear AP1 to an encoding."""
        group = ocio.GroupTransform()
        group.appendTransform(_matrix(np.linalg.inv(AP0_TO_AP1)))
        group.appendTransform(ocio.ColorSpaceTransform(src=_INTERCHANGE, dst=self.resolve(encoding)))
        return self._processor(group, "from linear", encoding)

    def view(self, display: str, view: str) -> "Processor":
        """Scene-linear AP1 to a display's signal. Raises AquinError for an unknown pair."""
        known_pair = ("view", display, view) in self._ready
        if not known_pair and view not in dict(self.displays()).get(display, []):
            known = "; ".join(f"{d}: {', '.join(v)}" for d, v in self.displays())
            raise AquinError(f"there is no view '{view}' on display '{display}'", None, f"There are: {known}")
        group = ocio.GroupTransform()
        group.appendTransform(_matrix(np.linalg.inv(AP0_TO_AP1)))
        group.appendTransform(ocio.DisplayViewTransform(src=_INTERCHANGE, display=display, view=view))
        return self._processor(group, "view", display, view)

    def unview(self, display: str, view: str) -> "Processor":
        """A display's signal back to scene-linear AP1, as far as the view can be undone. Raises AquinError."""
        self.view(display, view)  # says what is wrong with the pair
        group = ocio.GroupTransform()
        group.appendTransform(
            ocio.DisplayViewTransform(
                src=_INTERCHANGE, display=display, view=view, direction=ocio.TRANSFORM_DIR_INVERSE
            )
        )
        group.appendTransform(_matrix(AP0_TO_AP1))
        return self._processor(group, "unview", display, view)

    def display_light(self, display: str, view: str) -> "Processor":
        """A display's signal to the CIE XYZ (D65) that the display makes of it, Y = 1 at 100 cd/m2 of the
        configuration's displays. Raises AquinError where the configuration does not say.
        """
        transform = ocio.ColorSpaceTransform(src=self._display_space(display, view), dst=_DISPLAY_INTERCHANGE)
        return self._processor(ocio.GroupTransform([transform]), "display light", display, view)

    def display_signal(self, display: str, view: str) -> "Processor":
        """The inverse of `display_light`."""
        transform = ocio.ColorSpaceTransform(src=_DISPLAY_INTERCHANGE, dst=self._display_space(display, view))
        return self._processor(ocio.GroupTransform([transform]), "display signal", display, view)

    def _display_space(self, display: str, view: str) -> str:
        name = self._config.getDisplayViewColorSpaceName(display, view)
        space = display if not name or name.startswith("<") else name
        found = self._config.getColorSpace(space)
        if found is None or found.getReferenceSpaceType() != ocio.REFERENCE_SPACE_DISPLAY:
            raise AquinError(
                f"the configuration does not say what light '{display}' makes of a signal",
                None,
                "Choose one of its displays that is display-referred",
            )
        return str(space)

    def _processor(self, transform: Any, *key: str) -> "Processor":
        """The transform ready to run; it is built once, since a configuration never changes."""
        if key in self._ready:
            return self._ready[key]
        try:
            built = self._config.getProcessor(transform)
            made = _same(built) if "view" in key[0] else _run_ready(built)
            self._ready[key] = made
            return made
        except (ocio.Exception, ocio.ExceptionMissingFile) as error:
            raise AquinError(
                f"the colour transform can't be built ({_first(error)})", None, "Check the configuration"
            ) from error


_VIEWS: Remembered["Processor"] = Remembered(32)
"""Views by what they do: one takes 9 ms to be made ready, all of it with the interpreter held, and is the same in each
configuration that knows another camera.
"""


def _same(built: Any) -> "Processor":
    """A view ready to run, made once for all configurations."""
    return _VIEWS.get(mark(str(built.getCacheID())), lambda: _run_ready(built))


def _run_ready(built: Any) -> "Processor":
    return Processor(built.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS))


class Processor:
    """One transform, ready to run."""

    def __init__(self, cpu: Any) -> None:
        self._cpu = cpu

    @property
    def identity(self) -> str:
        """The same for transforms that do the same: OpenColorIO's hash of all steps and their tables."""
        return str(self._cpu.getCacheID())

    def __call__(self, rgb: Floats) -> Float32:
        """(..., 3) to a new float32 array of the same shape."""
        out = np.array(rgb, np.float32, order="C", copy=True)
        if out.size:
            self._cpu.applyRGB(out.reshape(-1, 3))
        return out


def _matrix(matrix: Floats) -> Any:
    full = np.eye(4)
    full[:3, :3] = matrix
    return ocio.MatrixTransform(full.ravel().tolist())


def _first(error: Exception) -> str:
    return str(error).strip().splitlines()[0][:200]


def _nearest(name: str, names: list[str]) -> list[str]:
    import difflib

    return difflib.get_close_matches(name, names, 4, 0.2) or names[:4]


@lru_cache(maxsize=1)
def _builtin(name: str) -> ColourConfig:
    return ColourConfig(ocio.Config.CreateFromBuiltinConfig(name), name)


def shared_config(path: str | Path | None) -> ColourConfig:
    """A configuration for workers, which read it once and again only when its file has changed, or one that it lacked
    is there.
    """
    if path is None:
        return _shared(None, 0, 0)
    held = os.stat(path)
    found = _shared(str(path), held.st_mtime_ns, held.st_size)
    if any((Path(path).parent / file).is_file() for file in found.missing.values()):
        _shared.cache_clear()
        found = _shared(str(path), held.st_mtime_ns, held.st_size)
    return found


@lru_cache(maxsize=4)
def _shared(path: str | None, changed: int, size: int) -> ColourConfig:
    return ColourConfig.load(path)
