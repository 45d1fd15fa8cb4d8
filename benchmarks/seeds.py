"""The match of whole shoots judged against their truth, on shoots of many seeds that are filmed at just the frames
that are compared.

    python benchmarks/seeds.py FOLDER [--careless] [--whole] [--only points|materials] [--fix] [--pictures FILE]
                               [SEED ...]

Without seeds, those that are kept for judging (`tests/yardstick.py`); nothing may be chosen on them. With
--careless the crew films every chart in whatever light is there. With --whole takes are filmed from their first to
their last frame, charts that are tilted and shaded among them, instead of three frames. With --only there are no
charts, and of the two other witnesses only that one (what whole pictures look like starts the materials). With --fix
the sure fixes of the audit are applied first, as the Board offers it. With --pictures the worst shots are drawn into a
file. FOLDER keeps what was filmed (two to four minutes a seed) and measured, so that another run settles from what is
known.
"""

import json
import shutil
import sys
import time
from pathlib import Path

import numpy as np
from common import ROOT

sys.path.insert(0, str(ROOT / "tests"))


def main(
    folder: Path, seeds: list[int], crew: str, fix: bool, pictures: Path | None = None, whole: bool = False
) -> None:
    every, bases = [], {}
    print(f"crew: {crew}{', sure fixes applied' if fix else ''}", flush=True)
    for seed in seeds:
        base = filmed(folder / f"{crew}{seed}{'-whole' if whole else ''}", seed, crew, whole)
        rows = judged_again(base, fix)
        every += rows
        bases |= {one.shot.id: base for one, _ in rows}
        say(f"seed {seed}", rows)
    if len(seeds) > 1:
        say("all", every)
        worst(every)
    if pictures is not None:
        draw(pictures, sorted((o for o, _ in sound(every)), key=lambda o: -o.after)[:WORST], bases)


WORST = 4
"""How many are drawn."""


def draw(path: Path, worst: list, bases: dict[str, Path]) -> None:
    """Shots as filmed, as settled, and as the hero's camera would have recorded them, graded as its own moment is."""
    import cv2
    from PIL import Image, ImageDraw

    from aquin.production.match_work import side_of
    from aquin.production.settings import config_of
    from aquin.production.shoot import Shoot, shot_grade
    from aquin.production.store import Production
    from aquin.simulate.cameras import CAMERAS
    from yardstick import exposed

    wide, high, room = 400, 225, 20
    sheet = Image.new("RGB", (3 * wide + 16, len(worst) * (high + room)), (24, 24, 24))
    words = ImageDraw.Draw(sheet)
    for row, one in enumerate(worst):
        base = bases[one.shot.id]
        production = Production.open(base.with_name("judged.aquin"), read_only=True)
        desk, truth = Shoot(production, config_of(production)), base.parent / "truth"
        said, theirs = (
            json.loads((truth / f"{n}.json").read_text()) for n in (one.shot.name, one.moment.hero.name)
        )
        own = side_of(desk.ref(one.shot, one.shot.first + said["zero"]), desk.config_path).linear
        to_ap1 = desk.config.to_linear(CAMERAS["Heron"].linear_encoding.name)
        seen = to_ap1(np.load(truth / f"{one.shot.name}.npz")["hero"].astype(np.float32))
        seen = exposed(seen, said, theirs)
        view = desk.config.view(*desk.config.default_view())
        views = (own, shot_grade(desk, one.shot).linear(own), shot_grade(desk, one.moment.hero).linear(seen))
        for column, linear in enumerate(views):
            small = cv2.resize(np.asarray(linear, np.float32), (wide, high), interpolation=cv2.INTER_AREA)
            shown = np.clip(view(np.ascontiguousarray(small)), 0, 1)
            at = column * (wide + 8), row * (high + room)
            sheet.paste(Image.fromarray((255 * shown).astype(np.uint8)), at)
        text = (
            f"{one.setup}, {one.camera}: as filmed {one.before:.1f} dE00 off, as settled {one.after:.1f} "
            f"({one.stops:+.2f} stop, {one.white[0]:+.0f} mired); right: what it should be"
        )
        words.text((4, row * (high + room) + high + 4), text, fill=(190, 190, 190))
        production.close()
    sheet.save(path, quality=88)


def filmed(folder: Path, seed: int, crew: str, whole: bool = False) -> Path:
    """The production of a seed: filmed, logged, audited, its heroes proposed and the telephone measured."""
    from aquin.production.audit import run_audit
    from aquin.production.charting import keep_profile, profile_of, read_series, series_of
    from aquin.production.heroes import take_proposed
    from aquin.production.ledgers import compare_frames
    from aquin.production.matching import read_charts
    from aquin.production.records import Camera
    from aquin.production.settings import config_of
    from aquin.production.shoot import Shoot, needed
    from aquin.production.store import Production
    from aquin.simulate.logbook import log_demo
    from shoots import film_short

    path = folder / "base.aquin"
    if (folder / "ready").exists():
        return path
    shutil.rmtree(folder, ignore_errors=True)
    begin = time.monotonic()
    kinds = ("shot", "chart") if whole else ()
    film_short(folder, seed, folder / "truth", series=("phone",), crew=crew, whole=kinds)
    print(f"seed {seed}: filmed in {time.monotonic() - begin:.0f} s", flush=True)
    begin = time.monotonic()
    log_demo(folder)
    production = Production.open(folder / "ferry.aquin")
    config = config_of(production)
    run_audit(production, config)
    take_proposed(production)
    for camera in production.all(Camera):
        if not camera.encoding and series_of(production, camera):
            made = profile_of(read_series(production, config, camera))
            keep_profile(production, config, camera, made, f"Measured {camera.name}")
            config = config_of(production)
    shoot = Shoot(production, config)
    places = list(shoot.shots)
    read_charts(shoot, needed(shoot, places))
    compare_frames(shoot, places)
    production.save_copy(path)
    production.close()
    (folder / "ready").touch()
    print(f"seed {seed}: logged, audited and read in {time.monotonic() - begin:.0f} s", flush=True)
    return path


def judged_again(base: Path, fix: bool) -> list[tuple[object, tuple[float, ...]]]:
    """Settle a copy from nothing and judge every shot: with the doubt that is stated of exposure, warmth and tint."""
    from aquin.production.audit import apply_fixes, run_audit, sure_fixes
    from aquin.production.beside import beside_of
    from aquin.production.matching import settle
    from aquin.production.settings import config_of
    from aquin.production.shoot import Shoot
    from aquin.production.store import Production
    from yardstick import beside_others, judged

    path = base.with_name("judged.aquin")
    for old in base.parent.glob("judged*"):
        old.unlink()
    shutil.copy(base, path)
    production = Production.open(path)
    config = config_of(production)
    if fix and (found := sure_fixes(production)):
        apply_fixes(production, found)
        config = config_of(production)
        run_audit(production, config)
    begin = time.monotonic()
    done = settle(production, config, list(Shoot(production, config).shots))
    print(
        f"{base.parent.name}: settled and measured in {time.monotonic() - begin:.0f} s: {done.line}",
        flush=True,
    )
    desk = Shoot(production, config)
    said = beside_of(desk, list(desk.shots))
    rows, truth = [], base.parent / "truth"
    others = (one for one in beside_others(production, desk, truth) if one.odd)
    for one in (*(one for one in judged(production, desk, truth) if not one.odd), *others):
        found = said.get(one.shot.id)
        doubt = tuple(v[1] for v in found.axes.values()) if found is not None else (np.nan,) * 3
        rows.append((one, doubt))
    production.close()
    return rows


def sound(rows: list) -> list:
    """Of other cameras than the hero's, without a planted mistake in them or in what they are compared with, and with a
    recording of the hero's camera at that moment: without one there is no truth to be matched to."""
    return [(o, d) for o, d in rows if not (o.hero or o.mistake or o.odd) and o.moment.same_time]


def say(name: str, rows: list) -> None:
    for title, group in (
        ("sound", sound(rows)),
        ("mistaken", [r for r in rows if r[0].mistake and not r[0].hero and not r[0].odd]),
        ("beside a mistake of the hero's camera", [r for r in rows if r[0].odd and not r[0].hero]),
    ):
        if not group:
            continue
        b, a = (np.array([getattr(o, k) for o, _ in group]) for k in ("before", "after"))
        off = np.abs([(o.stops, o.white[0], 1e3 * o.white[1]) for o, _ in group])
        print(
            f"{name}, {title}: {len(group)} shots, median dE00 {np.median(b):.2f} to {np.median(a):.2f}, within 2 "
            f"{np.mean(b <= 2):.0%} to {np.mean(a <= 2):.0%}, within 4 {np.mean(b <= 4):.0%} to {np.mean(a <= 4):.0%}; "
            f"worse by more than 0.5: {(a > b + 0.5).sum()}; exposure {off[:, 0].mean():.3f} st, 95 % "
            f"{np.percentile(off[:, 0], 95):.2f}; warmth {off[:, 1].mean():.1f} mired; "
            f"tint {off[:, 2].mean():.2f}e-3 Duv"
        )
        doubt = np.array([d for _, d in group])
        known = np.isfinite(doubt[:, 0])
        z = off[known] / doubt[known]
        if title == "sound" and known.any():
            words = ", ".join(
                f"{n} {np.mean(z[:, k] < 1):.0%} and {np.mean(z[:, k] < 2):.0%}"
                for k, n in enumerate(("exposure", "warmth", "tint"))
            )
            print(f"{name}: true errors within one and two stated standard errors: {words}")


def only(witness: str) -> None:
    """Take the other witnesses away, in this process: what workers find of them is not listened to."""
    from aquin.production import beside, matching
    from aquin.production.shoot import Shoot

    compare, verdict = matching.compare_frames, beside.verdict_of

    def compared(shoot: Shoot, *rest: object) -> None:
        compare(shoot, *rest)
        if witness == "materials":
            for key, found in shoot.seen.items():
                shoot.seen[key] = {**found, "points": None}

    def judged_by(shoot: Shoot, shot: object, like: dict, *rest: object) -> object:
        return verdict(shoot, shot, like if witness == "materials" else {}, *rest)

    Shoot.chart_job = lambda self, shot: None  # type: ignore[method-assign]
    matching.compare_frames, beside.verdict_of = compared, judged_by


def worst(rows: list) -> None:
    for one, doubt in sorted(sound(rows), key=lambda r: -r[0].after)[:8]:
        print(
            f"  {one.setup}, {one.camera}, {one.shot.name}: {one.before:.1f} to {one.after:.1f}, {one.stops:+.2f} st "
            f"(±{doubt[0]:.2f}), {one.white[0]:+.0f} mired (±{doubt[1]:.0f})"
        )


if __name__ == "__main__":
    from yardstick import JUDGING

    if "--only" in sys.argv:
        only(sys.argv[sys.argv.index("--only") + 1])
    numbers = [int(s) for s in sys.argv[2:] if s.isdigit()]
    crew = "careless" if "--careless" in sys.argv else "careful"
    drawn = Path(sys.argv[sys.argv.index("--pictures") + 1]) if "--pictures" in sys.argv else None
    main(Path(sys.argv[1]), numbers or list(JUDGING), crew, "--fix" in sys.argv, drawn, "--whole" in sys.argv)
