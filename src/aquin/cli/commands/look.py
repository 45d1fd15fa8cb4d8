"""`aquin look`: looks of a production."""

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, shot_of
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError

ACTIONS = ("list", "add", "set", "fit", "use", "off", "compare", "export", "drop", "save", "take")

StillEncoding = Annotated[
    str, typer.Option("--encoding", help="How a reference still is encoded; display: as it is seen.")
]


def look(
    file: of.File,
    action: Annotated[str, typer.Argument(help=f"One of {', '.join(ACTIONS)}.")] = "list",
    names: Annotated[list[str] | None, typer.Argument(metavar="[NAME|FILE|STILL|SHOT]...")] = None,
    name: Annotated[str | None, typer.Option("--name", help="What a new look is called.")] = None,
    takes: Annotated[
        str,
        typer.Option("--takes", help="What an added file expects: working, linear, display or an encoding."),
    ] = "working",
    gives: Annotated[str, typer.Option("--gives", help="What it gives: the same choice.")] = "working",
    encoding: StillEncoding = "display",
    shot_names: Annotated[
        list[str] | None, typer.Option("--shot", help="For fit and compare: on these shots (the heroes).")
    ] = None,
    setups: Annotated[
        list[str] | None, typer.Option("--setup", help="For set: for these setups only; 'all' for all.")
    ] = None,
    strength: Annotated[float | None, typer.Option("--strength", help="0 to 100 %.")] = None,
    part: Annotated[
        list[str] | None,
        typer.Option(
            "--part",
            help="For set: PART=NUMBERS. lift=5 stops, saturation, colour, clean=dark,light, skin=stops, "
            "vignette=stops, slope=r,g,b, offset=r,g,b, power=r,g,b, shadows=r,g,b, lights=r,g,b (stops).",
        ),
    ] = None,
    keep: Annotated[bool, typer.Option("--keep", help="For fit: keep the fitted look.")] = False,
    bold: Annotated[
        bool, typer.Option("--bold", help="For fit: as if all that differs were look, not content.")
    ] = False,
    to: Annotated[str, typer.Option("--to", help="For export: working (ACEScct) or display.")] = "working",
    out: Annotated[Path | None, typer.Option("--out", help="For export: .cube or .clf.")] = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """Looks over the graded pictures: kept, switched on and off, taken from a reference still, compared, exported."""
    from aquin.cli.words.look import say
    from aquin.production.settings import config_of

    if action not in ACTIONS:
        raise AquinError(f"there is no action '{action}'", None, f"There are: {', '.join(ACTIONS)}")
    given = list(names or [])
    writes = action in ("add", "set", "use", "off", "drop", "take") or (action == "fit" and keep)
    with opened(file, read_only=not writes) as production:
        config = config_of(production)
        shots = [shot_of(production, n, file) for n in shot_names or []]
        do = _Doing(production, config, file, given, shots)
        if action == "fit":
            data = do.fit(encoding, name, keep, bold)
        elif action == "compare":
            data = do.compare()
        elif action == "export":
            data = do.export(out, to, name, force)
        else:
            do.change(action, name, takes, gives, strength, part or [], setups)
            if action == "save":
                do.save(out, force)
            data = do.list()
    printed(data, as_json, lambda d: say(action, d))


class _Doing:
    """One action on one production."""

    def __init__(self, production: Any, config: Any, file: Path, given: list[str], shots: list[Any]) -> None:
        self.production, self.config, self.file = production, config, file
        self.given, self.shots = given, shots

    @property
    def first(self) -> str:
        if not self.given:
            raise AquinError("a name or file is missing", self.file, "See: aquin look --help")
        return self.given[0]

    def held(self, name: str) -> Any:
        from aquin.production.looks import named

        return named(self.production, self.config, name)

    def usable(self, name: str) -> Any:
        held = self.held(name)
        if held.look is None:
            raise AquinError(f"the look '{name}' can't be used: {held.trouble}", self.file, "Import it again")
        return held.look

    def change(
        self,
        action: str,
        name: str | None,
        takes: str,
        gives: str,
        strength: float | None,
        parts: list[str],
        setups: list[str] | None,
    ) -> None:
        from aquin.production.look_library import take_look
        from aquin.production.looks import drop_look, import_look, use_look

        share = None if strength is None else strength / 100
        if share is not None and not 0 <= share <= 1:
            raise AquinError(f"{strength} is no strength", None, "Use 0 to 100")
        if action == "add":
            import_look(self.production, self.config, Path(self.first), takes, gives, name or "", share)
        elif action == "take":
            take_look(self.production, self.config, Path(self.first), name or "")
        elif action == "use":
            use_look(self.production, self.held(self.first).record)
        elif action == "off":
            use_look(self.production, None)
        elif action == "drop":
            drop_look(self.production, self.held(self.first).record)
        elif action == "set":
            self._set(name, share, parts, setups)

    def _set(self, name: str | None, share: float | None, parts: list[str], setups: list[str] | None) -> None:
        from aquin.look.look import Look
        from aquin.production import Setup
        from aquin.production.looks import keep_look, looks_of

        there = next((h for h in looks_of(self.production, self.config) if h.name == self.first), None)
        look = Look(self.first) if there is None else self.usable(self.first)
        for text in parts:
            look = _with_part(look, text)
        look = replace(look, name=name or look.name, strength=look.strength if share is None else share)
        ids = None
        if setups is not None:
            known = {s.name: s.id for s in self.production.all(Setup)}
            wrong = [s for s in setups if s != "all" and s not in known]
            if wrong:
                raise AquinError(
                    f"there is no setup '{wrong[0]}'", self.file, f"There are: {', '.join(known)}"
                )
            ids = [known[s] for s in setups if s != "all"]
        keep_look(self.production, look, "set a look", None if there is None else there.record, ids)

    def save(self, out: Path | None, force: bool) -> None:
        from aquin.production.look_library import SUFFIX, library_folder, save_look

        path = out or library_folder() / f"{self.first}{SUFFIX}"
        save_look(self.held(self.first), path, force)

    def list(self) -> dict[str, Any]:
        from aquin.production.look_library import library
        from aquin.production.looks import looks_of, scoped

        return {
            "looks": [
                {
                    "name": h.name,
                    "on": h.record.on,
                    "strength": None if h.look is None else h.look.strength,
                    "parts": [] if h.look is None else list(h.look.parts),
                    "for": scoped(self.production, h),
                    "trouble": h.trouble,
                    "not_in_a_cdl": "" if h.look is None else h.look.beyond_cdl,
                    "not_in_a_lut": "" if h.look is None else h.look.beyond_lut,
                }
                for h in looks_of(self.production, self.config)
            ],
            "library": [str(p) for p in library()],
        }

    def fit(self, encoding: str, name: str | None, keep: bool, bold: bool) -> dict[str, Any]:
        from aquin.jobs.look_work import dissect
        from aquin.look.look import USUAL
        from aquin.production.looks import keep_look

        if encoding != "display":
            self.config.resolve(encoding)
        path = Path(self.first)
        found = with_progress(
            "taking it apart",
            lambda tell: dissect(
                self.production, self.config, path, encoding, self.shots, name or "", tell, bold
            ),
        )
        if keep:
            keep_look(self.production, replace(found.fitted.look, strength=USUAL), f"fit to {path.name}")
        return dict(found.data())

    def compare(self) -> dict[str, Any]:
        from aquin.jobs.look_work import compare
        from aquin.production.looks import looks_of

        names = self.given or [h.name for h in looks_of(self.production, self.config) if h.look is not None]
        looks = [self.usable(n) for n in names]
        found = with_progress(
            "comparing", lambda tell: compare(self.production, self.config, looks, self.shots, tell)
        )
        return {
            "compared": [
                {
                    "look": c.look,
                    "shot": c.shot,
                    **c.price.data(),
                    "farther_from_hero": None if c.apart != c.apart else round(c.apart, 2),
                    "no_longer_within": c.lost,
                }
                for c in found
            ]
        }

    def export(self, out: Path | None, to: str, name: str | None, force: bool) -> dict[str, Any]:
        from aquin.jobs.look_work import export_whole, look_on

        if out is None or to not in ("working", "display"):
            raise AquinError(
                "an export needs --out, and --to working or display", out, "See: aquin look --help"
            )
        shot = shot_of(self.production, self.first, self.file)
        look = look_on(self.production, self.config, shot) if name is None else self.usable(name)
        return export_whole(self.production, self.config, shot, out, look, to == "display", force)


def _with_part(look: Any, text: str) -> Any:
    from aquin.colour.tone_curve import ToneCurve
    from aquin.colour.zones import ZoneGains

    key, _, said = text.partition("=")
    try:
        v = [float(n) for n in said.split(",")]
        if key in ("colour", "skin", "vignette") and len(v) == 1:
            return replace(look, **{key: v[0]})
        if key == "saturation" and len(v) == 1:
            return replace(look, cdl=replace(look.cdl, saturation=v[0]))
        if key in ("slope", "offset", "power") and len(v) == 3:
            return replace(look, cdl=replace(look.cdl, **{key: tuple(v)}))
        if key == "clean" and len(v) == 2:
            return replace(look, clean=(v[0], v[1]))
        if key == "lift" and len(v) == 5:
            return replace(look, curve=ToneCurve(tuple(v)) if any(v) else None)  # type: ignore[arg-type]
        if key in ("shadows", "middle", "lights") and len(v) == 3:
            rows = [list(r) for r in (look.zones.values() if look.zones is not None else [[0.0] * 3] * 3)]
            rows[("shadows", "middle", "lights").index(key)] = v
            return replace(look, zones=ZoneGains.of(rows))
    except ValueError as error:
        raise AquinError(
            f"'{text}' is no part of a look ({error})", None, "See: aquin look --help"
        ) from error
    raise AquinError(f"'{text}' is no part of a look", None, "See: aquin look --help")


COMMANDS = (look,)
