"""The audit on shoots of many seeds: which planted mistakes are found, which are missed, and the false alarms.

Run: .venv/bin/python benchmarks/audit.py [SEED ...]. Each shoot is filmed at a few frames a take (about a minute
and a half) into AQUIN_SHOOTS, a folder that is kept, or into a temporary one.
"""

import os
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

os.environ.setdefault("AQUIN_TRUST", "/")  # the configurations made here are used unasked
ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests"), str(ROOT / "tests" / "production")]


def main(seeds: list[int]) -> None:
    from test_audit import KINDS

    from aquin.production import Production, Shot
    from aquin.simulate.logbook import NAME, log_demo
    from shoots import film_short, short_shoot

    base = Path(os.environ.get("AQUIN_SHOOTS") or tempfile.mkdtemp())
    found: Counter[str] = Counter()
    missed: Counter[str] = Counter()
    false: list[str] = []
    shots = notes = 0
    seconds = 0.0
    for seed in seeds:
        folder = base / f"short{seed}"
        shoot = short_shoot(seed)
        if not (folder / "edit").is_dir():
            film_short(folder, seed)
        for old in folder.glob(f"{NAME}*"):
            old.unlink()
        begin = time.perf_counter()
        log_demo(folder, audit=True)
        seconds += time.perf_counter() - begin
        production = Production.open(folder / NAME)
        from aquin.production.audit import kept_findings

        paths = {s.id: s.path for s in production.all(Shot)}
        said: dict[str, set[str]] = {}
        for f in kept_findings(production):
            notes += f.severity == "note"
            for id in f.shots:
                if f.severity != "note":
                    said.setdefault(paths[id], set()).add(f.kind)
        production.close()
        for take in shoot.takes:
            if take.kind == "series":
                continue
            shots += 1
            kinds = said.get(take.path, set())
            if take.mistake:
                hit = bool(kinds & KINDS[take.mistake])
                (found if hit else missed)[take.mistake] += 1
                if not hit:
                    print(f"seed {seed}: missed {take.mistake}, {take.role} in {take.setup} ({take.path})")
            false += [f"seed {seed}: {take.path}: {k}" for k in kinds - KINDS.get(take.mistake, set())]
        print(f"seed {seed}: done", flush=True)
    print(f"\n{'mistake':16} found missed")
    for mistake in KINDS:
        print(f"{mistake:16} {found[mistake]:5} {missed[mistake]:6}")
    print(f"{'all':16} {found.total():5} {missed.total():6}")
    print(f"false alarms: {len(false)} in {shots} recordings; notes: {notes}")
    for line in false:
        print(f"  {line}")
    print(
        f"logging, measuring and auditing: {seconds / len(seeds):.0f} s a shoot of {shots // len(seeds)} recordings"
    )


if __name__ == "__main__":
    main([int(a) for a in sys.argv[1:]] or list(range(1, 6)))
