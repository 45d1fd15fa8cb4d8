"""What holds for the whole production: configuration, working space, policy, deliverables."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production.records import Option

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production


Policy = Literal["bright", "protect"]
POLICIES: dict[Policy, str] = {"bright": "expose bright", "protect": "protect highlights"}

WORKING = "ACEScct"
"""The working space that a production starts with (Academy S-2016-001)."""

BUILTIN = ""
"""The value of the option `config` that stands for the built-in configuration."""


@dataclass(frozen=True)
class Deliverable:
    """One screen that the production goes out on: a display of the configuration and its view."""

    name: str
    display: str
    view: str


def config_of(production: Production) -> ColourConfig:
    """The production's colour configuration: the chosen one, else the `config.ocio` beside it, else the built-in.
    Raises AquinError.
    """
    chosen = production.option("config")
    released = production.path.parent / "config" / "config.ocio"
    if released.is_file() and (production.path.parent / "release.json").is_file():
        return ColourConfig.load(released)  # the copy in a release is read through the release's own
    if chosen is None and production.shared:
        own = production.path.with_name("config.ocio")
        return ColourConfig.load(own if own.is_file() else None)
    if chosen is None:
        return ColourConfig.find(None, production.path)
    return ColourConfig.load(None if chosen == BUILTIN else production.path.parent / str(chosen))


def choose_config(production: Production, path: Path | None) -> Entry | None:
    """Use another configuration (None: the built-in); it is tried first. Raises AquinError."""
    if path is not None:
        ColourConfig.load(path)
        base = production.path.parent
        if production.shared:
            path = _with_it(production, path)
        path = path.absolute().relative_to(base) if path.absolute().is_relative_to(base) else path.absolute()
    return production.change(
        "choose the colour configuration", Option(BUILTIN if path is None else str(path), id="config")
    )


def _with_it(production: Production, path: Path) -> Path:
    """A server's production has its configuration with it, with the files that this names. Raises AquinError."""
    from aquin.production.belongings import named_in

    base = production.path.parent
    for one in (path, *named_in(path, path.absolute().parent)):
        target = base / one.name
        if target != one.absolute():
            data = one.read_bytes()
            write_safely(target, lambda p, d=data: _put(p, d), force=True)  # type: ignore[misc]
        production.attach(target)
    return base / path.name


def _put(path: Path, data: bytes) -> None:
    path.write_bytes(data)


def working_space(production: Production, config: ColourConfig) -> str:
    """The working log space; raises AquinError where the configuration has none of that name."""
    return config.resolve(str(production.option("working space", WORKING)))


def policy_of(production: Production) -> Policy:
    """How the crew is asked to expose."""
    found = production.option("policy", "bright")
    return "protect" if found == "protect" else "bright"


def deliverables_of(production: Production, config: ColourConfig) -> list[Deliverable]:
    """The chosen screens; before any was chosen, the configuration's default one."""
    chosen = production.option("deliverables")
    if isinstance(chosen, list) and chosen:
        return [Deliverable(str(d["name"]), str(d["display"]), str(d["view"])) for d in chosen]
    display, view = config.default_view()
    return [Deliverable("main", display, view)]


def keep_deliverables(production: Production, deliverables: list[Deliverable], what: str) -> Entry | None:
    """Write the list of screens. Raises AquinError for two of one name."""
    names = [d.name for d in deliverables]
    if len(set(names)) < len(names):
        raise AquinError("two deliverables have one name", None, "Give each its own")
    values = [{"name": d.name, "display": d.display, "view": d.view} for d in deliverables]
    return production.change(what, Option(values, id="deliverables"))
