"""The simulated shoot of any seed at a few frames a take: all mistakes and papers, filmed in a fraction of the time."""

import sqlite3
from collections.abc import Callable, Collection
from dataclasses import replace
from pathlib import Path
from uuid import uuid4

from aquin.colour.config import ColourConfig
from aquin.production import Camera, Root, Setup, Shot
from aquin.production.store import Production
from aquin.simulate.build import build_media, write_papers
from aquin.simulate.cameras import CAMERAS
from aquin.simulate.paperwork import camera_report
from aquin.simulate.planning import plan
from aquin.simulate.shoot import Crew, Event, Shoot, Take
from aquin.workers import each

FRAMES = 3


def short(take: Take) -> Take:
    """The take around its frame `zero`."""
    if take.kind == "still":
        return take
    begin = min(max(take.zero - 1, 0), take.frames - FRAMES)
    return replace(take, start=take.start + begin, frames=FRAMES, zero=take.zero - begin)


def short_shoot(seed: int, crew: Crew = "careful", whole: Collection[str] = ()) -> Shoot:
    """`whole`: kinds of takes that are not shortened, such as charts, which are tilted and shaded at their ends."""
    full = plan(seed, crew)
    takes = {t: t if t.kind in whole else short(t) for t in full.takes}
    edit = tuple(Event(takes[e.take], 0, FRAMES) for e in full.edit)
    return Shoot(seed, tuple(takes.values()), edit, crew)


def film_short(
    folder: Path,
    seed: int,
    truth: Path | None = None,
    keep: Callable[[Take], bool] | None = None,
    series: Collection[str] = (),
    crew: Crew = "careful",
    whole: Collection[str] = (),
) -> Shoot:
    """Film everything but the exposure series into a folder laid out like the demo; only what `keep` wants, where it
    is given. `series`: the roles whose exposure series is filmed too. `whole`: see `short_shoot`.
    """
    shoot = short_shoot(seed, crew, whole)
    kept = tuple(
        t
        for t in shoot.takes
        if (t.kind != "series" and (keep is None or keep(t))) or (t.kind == "series" and t.role in series)
    )
    shoot = replace(shoot, takes=kept)
    (folder / "media").mkdir(parents=True)
    encodings = [e for c in CAMERAS.values() if not c.baked for e in (c.encoding, c.linear_encoding)]
    (folder / "config.ocio").write_text(ColourConfig.load().with_encodings(*encodings).text())
    if truth is not None:
        truth.mkdir()
    build_media(shoot, shoot.takes, folder / "media", truth)
    if keep is not None:  # other papers speak of all setups
        (folder / "reports").mkdir()
        (folder / "reports" / "camera-report.csv").write_text(camera_report(shoot), encoding="utf-8")
        return shoot
    list(each(_write, [(shoot, folder)]))  # OpenTimelineIO's objects are made in a process of their own
    return shoot


def copy_of(production: Path, to: Path | None = None) -> Path:
    """A copy of a production beside its media; anew where it is already there."""
    path = to or production.with_name(f"{uuid4().hex}.aquin")
    made = Production.open(production, read_only=True)
    made.save_copy(path, force=True)
    made.close()
    return path


def take_measured(path: Path, other: Path) -> None:
    """What was measured of the same media for another production is known to this one, too."""
    with sqlite3.connect(other) as database:
        kinds = [kind for (kind,) in database.execute("SELECT DISTINCT kind FROM measurement")]
    here, there = Production.open(path), Production.open(other, read_only=True)
    for kind in kinds:
        here.keep_measured(kind, there.measured(kind))
    here.close()
    there.close()


def _write(job: tuple[Shoot, Path]) -> None:
    write_papers(*job)


def small_film(folder: Path, shots: int = 3) -> Production:
    """A production of one camera in one setup, whose media are not there."""
    made = Production.create(folder / "ferry.aquin", "Ferry film")
    root, camera, setup = Root("media", "media"), Camera("Heron"), Setup("galley")
    logged = (
        Shot(root.id, f"{k}.mkv", f"A{k}", camera_id=camera.id, setup_id=setup.id) for k in range(shots)
    )
    made.change("log", root, camera, setup, *logged)
    return made


def film_with_phone(folder: Path) -> None:
    """One setup by the main camera and the telephone, with the telephone's exposure series, logged. What settling reads
    of its frames is known: it was settled once, in a copy.
    """
    from aquin.jobs.settle_cells import settle_cells
    from aquin.production.heroes import take_proposed
    from aquin.production.settings import config_of
    from aquin.simulate.logbook import log_demo

    film_short(
        folder / "ferry",
        12,
        keep=lambda t: t.setup == "galley" and t.role in ("main", "phone") and not t.mistake,
        series=("phone",),
    )
    log_demo(folder / "ferry")
    path = folder / "ferry" / "ferry.aquin"
    other = Production.open(copy_of(path))
    take_proposed(other)
    cells = sorted({(s.setup_id, s.camera_id) for s in other.all(Shot) if s.kind != "series"})
    settle_cells(other, config_of(other), cells, fix=True)
    other.close()
    take_measured(path, other.path)
