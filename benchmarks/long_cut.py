"""A cut of 500 pieces: how long until it is known again, and how long the window's thread is held while it is shown.

    AQUIN_DEMO=FOLDER PYTHONPATH=src:tests:benchmarks python benchmarks/long_cut.py [--measure]

FOLDER holds a settled production `st.aquin` of the demo shoot. Measuring all of it takes some minutes (--measure does
it); else one measured frame and one measured cut stand for all of them: what is read and judged is as much.
"""

import os
import sys
import time
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QTimer

from aquin.desk.app import application, put_away
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.frames.timecode import frames_of, timecode_of
from aquin.production import Production, Shot
from aquin.production.conform import Cut, CutList, conform
from aquin.production.cut.judged import known_edit, measure_edit, wanted
from aquin.production.cut.pieces import pieces_of
from aquin.production.cut.work import FRAME, PAIR, frame_job, pair_job
from aquin.production.looks import screen_of
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from shoots import copy_of

PIECES, LONG = 500, 6


def long_edit(production: Production):
    shots = [
        s for s in production.all(Shot) if s.kind == "shot" and not s.trouble and s.start and s.frames > 40
    ]
    rate = Fraction(24)
    cuts = []
    for k in range(PIECES):
        shot = shots[k % len(shots)]
        first = LONG * (k // len(shots)) % (shot.frames - LONG)
        begin = frames_of(shot.start, rate) + first
        ends = [timecode_of(begin + n, rate) for n in (0, LONG)]
        cuts.append(Cut(shot.reel, shot.name, *ends, "", LONG, shot.path))
    return conform(production, CutList("long", "", rate, tuple(cuts))).edit


def main(really: bool) -> None:
    path = copy_of(Path(os.environ["AQUIN_DEMO"]) / "st.aquin")
    production = Production.open(path)
    config, edit = config_of(production), long_edit(production)
    screen = screen_of(production, config)
    begin = time.perf_counter()
    if really:
        measure_edit(production, config, edit, screen)
        print(f"measured in {time.perf_counter() - begin:.0f} s")
    else:
        need = wanted(Shoot(production, config), pieces_of(production, edit), screen)
        frame = frame_job(next(iter(need.frames.values())))
        pair = pair_job(next(iter(need.pairs.values())))
        production.keep_measured(FRAME, dict.fromkeys(need.frames, frame))
        production.keep_measured(PAIR, dict.fromkeys(need.pairs, pair))
    for _ in range(3):
        begin = time.perf_counter()
        found = known_edit(production, config, edit, screen)
        print(
            f"known again in {time.perf_counter() - begin:.2f} s: {len(found.pieces)} pieces, {found.unmeasured} open"
        )
    production.close()
    shown(path)
    for left in path.parent.glob(f"{path.name}*"):
        left.unlink()


def shown(path: Path) -> None:
    """In the window: until it is there, and the longest wait of a heartbeat of 5 ms meanwhile and while stepping."""
    application()
    window = Window(keep=False)
    window.resize(1280, 800)
    window.show()
    window.open_production(path)
    settle_down(window, 60)
    longest, last = 0.0, time.perf_counter()

    def beat() -> None:
        nonlocal longest, last
        now = time.perf_counter()
        longest, last = max(longest, now - last), now

    timer = QTimer()
    timer.timeout.connect(beat)
    timer.start(5)
    begin = last = time.perf_counter()
    window.show_view("continuity")
    view = window.views.continuity
    while view.desk.found is None and time.perf_counter() < begin + 60:
        QCoreApplication.processEvents()
        time.sleep(0.001)
    print(f"in the view after {time.perf_counter() - begin:.2f} s, longest wait {1000 * longest:.0f} ms")
    settle_down(window, 60)
    longest, last = 0.0, time.perf_counter()
    for _ in range(20):
        window.commands.run("continuity.next")
        settle_down(window, 3)
    print(f"stepping: longest wait {1000 * longest:.0f} ms")
    timer.stop()
    put_away(window)


if __name__ == "__main__":
    main("--measure" in sys.argv)
