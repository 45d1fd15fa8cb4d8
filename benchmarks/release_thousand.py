"""A release of many shots: seconds a shot with few and with many, with and without LUTs, stopped on the way, verified.

AQUIN_DEMO names a folder with a settled demo (`st.aquin` with its media). The shots are the demo's, linked under
other names until there are enough.
"""

import argparse
import os
import shutil
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from aquin.jobs.make_release import make_release
from aquin.jobs.release_contents import Wish
from aquin.jobs.verify_release import verify
from aquin.production import Production, Shot
from aquin.production.media import file_of
from aquin.production.records import Grade, new_id
from aquin.production.settings import config_of


def many(demo: Path, folder: Path, count: int) -> Production:
    """The demo's production with its movies again and again, beside `folder`."""
    first = Production.open(demo, read_only=True)
    path = demo.with_name(f"many-{os.getpid()}.aquin")
    first.save_copy(path, force=True)
    first.close()
    made = Production.open(path)
    grades = {g.shot_id: g for g in made.all(Grade) if g.layer == "trim"}
    movies = [s for s in made.all(Shot) if s.kind == "shot" and s.codec and file_of(made, s) is not None]
    puts: list[Shot | Grade] = []
    for k in range(max(count - len(movies), 0)):
        shot = movies[k % len(movies)]
        there = file_of(made, shot)
        assert there is not None
        name = f"{there.stem}-{k:05d}{there.suffix}"
        if not there.with_name(name).exists():
            os.link(there, there.with_name(name))
        beside = str(Path(shot.path).with_name(name))
        other = replace(shot, id=new_id(), path=beside, name=f"{shot.name}-{k:05d}", stamp=0)
        puts.append(other)
        if shot.id in grades:
            puts.append(replace(grades[shot.id], id=new_id(), shot_id=other.id, stamp=0))
    extra = [s for s in made.all(Shot) if s.kind == "shot"][count:]
    made.change("many shots", *puts, *(replace(s, kind="reference") for s in extra))
    return made


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--shots", type=int, default=1000)
    words.add_argument("--points", type=int, default=33, help="of the ready LUTs")
    words.add_argument("--all-only", action="store_true", help="leave out the release of CDL and CLF alone")
    asked = words.parse_args()
    count = asked.shots
    wishes = {f"all, {asked.points} points": Wish(points=asked.points)}
    if not asked.all_only:
        wishes = {"CDL and CLF": Wish(formats=("cc", "clf"))} | wishes
    demo = Path(os.environ["AQUIN_DEMO"]) / "st.aquin"
    with tempfile.TemporaryDirectory() as kept:
        spent = {}
        for number in (50, count):
            production = many(demo, Path(kept), number)
            config = config_of(production)
            for name, wish in wishes.items():
                out = Path(kept) / f"r-{number}-{len(wish.formats)}"
                begun = time.perf_counter()
                made = make_release(production, config, out, wish)
                spent[number, name] = time.perf_counter() - begun
                size = sum(f.bytes for f in made.manifest.files) / 1e6
                files = len(made.manifest.files)
                print(f"{number} shots, {name}: {spent[number, name]:.0f} s, {size:.0f} MB, {files} files")
                begun = time.perf_counter()
                ok = verify(out).ok
                print(f"  verified in {time.perf_counter() - begun:.0f} s: {'whole' if ok else 'NOT WHOLE'}")
                shutil.rmtree(out)
            if number == count:
                stopped(production, Path(kept) / "stopped")
            path = production.path
            production.close()
            for left in path.parent.glob(f"{path.name}*"):
                left.unlink()
        for name in wishes:
            few, lots = spent[50, name] / 50, spent[count, name] / count
            print(f"{name}: {few:.2f} s a shot of 50, {lots:.2f} of {count}: ratio {lots / few:.2f}")


def stopped(production: Production, out: Path) -> None:
    """Stopped after some of it: how long until it ends, and what is left."""
    asked = 0.0

    def tell(share: float, words: str) -> None:
        nonlocal asked
        if share > 0.05:
            asked = asked or time.perf_counter()
            raise KeyboardInterrupt

    try:
        make_release(production, config_of(production), out, Wish(formats=("cc",)), tell=tell)
    except KeyboardInterrupt:
        took = time.perf_counter() - asked
        print(
            f"stopped: over after {took:.1f} s, left behind: {[p.name for p in out.parent.iterdir()] or 'nothing'}"
        )


if __name__ == "__main__":
    main()
