"""A cut of 500 pieces: how long until it is known again, and how long the window's thread is held while it is shown.

    AQUIN_DEMO=FOLDER PYTHONPATH=src:tests:benchmarks python benchmarks/long_cut.py [--measure]

FOLDER holds a settled production `st.aquin` of the demo shoot. Measuring all of it takes some minutes (--measure does
it in the window, while somebody steps through the cuts); else one measured frame and one measured cut stand for all of
them: what is read and judged is as much.
"""

import os
import sys
import time
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QTimer

from aquin.desk.app import application, keep_still, put_away
from aquin.desk.screenshots import settle_down
from aquin.desk.views import NAMES
from aquin.desk.window import Window
from aquin.frames.timecode import frames_of, timecode_of
from aquin.production import Production, Shot
from aquin.production.conform import Cut, CutList, conform
from aquin.production.cut.judged import known_edit, wanted
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


def taken() -> float:
    """Seconds that the host has taken from this machine so far, over all processors: waits of its making."""
    return float(Path("/proc/stat").read_text().split("\n", 1)[0].split()[8]) / os.sysconf("SC_CLK_TCK")


def main(really: bool) -> None:
    path = copy_of(Path(os.environ["AQUIN_DEMO"]) / "st.aquin")
    production = Production.open(path)
    config, edit = config_of(production), long_edit(production)
    screen = screen_of(production, config)
    if not really:
        need = wanted(Shoot(production, config), pieces_of(production, edit), screen)
        frame = frame_job(next(iter(need.frames.values())))
        pair = pair_job(next(iter(need.pairs.values())))
        production.keep_measured(FRAME, dict.fromkeys(need.frames, frame))
        production.keep_measured(PAIR, dict.fromkeys(need.pairs, pair))
    for _ in range(0 if really else 3):
        begin = time.perf_counter()
        found = known_edit(production, config, edit, screen)
        print(
            f"known again in {time.perf_counter() - begin:.2f} s: {len(found.pieces)} pieces, {found.unmeasured} open"
        )
    production.close()
    if really:
        measured(path)
    shown(path)
    for left in path.parent.glob(f"{path.name}*"):
        left.unlink()


def started(path: Path) -> Window:
    """A window as the program has it soon after its start: its views are made, what is loaded is kept still."""
    application()
    window = Window(keep=False)
    window.resize(1280, 800)
    window.show()
    keep_still(window)
    window.open_production(path)
    window.views.furnish()
    while any(name not in window.views.there for name in NAMES):
        QCoreApplication.processEvents()
    settle_down(window, 60)
    return window


def measured(path: Path) -> None:
    """Measure all of it in the background: the longest wait of a heartbeat of 5 ms while the window is worked in."""
    window = started(path)
    window.show_view("continuity")
    settle_down(window, 60)
    waits: list[tuple[float, float]] = []
    """Seconds, and how many of them the host had taken."""
    last = time.perf_counter()

    def beat() -> None:
        nonlocal last, host
        now, gone = time.perf_counter(), taken()
        waits.append((now - last, gone - host))
        last, host = now, gone

    timer = QTimer()
    timer.timeout.connect(beat)
    timer.start(5)
    host = taken()
    begin = last = time.perf_counter()
    window.commands.run("continuity.measure")
    view = window.views.continuity
    steps = 0
    while window.jobs.states or view.desk.found is None or view.desk.found.unmeasured:
        QCoreApplication.processEvents()
        time.sleep(0.001)
        if time.perf_counter() - begin > 2 * (steps + 1):
            steps += 1
            window.commands.run("continuity.next")
        if time.perf_counter() - begin > 1800:
            break
    timer.stop()
    held = sorted(waits)
    own = ", ".join(f"{1000 * w:.0f} ({1000 * h:.0f})" for w, h in held[:-9:-1])
    print(
        f"measured in the window in {time.perf_counter() - begin:.0f} s, {steps} cuts looked at meanwhile; "
        f"a heartbeat of 5 ms waited {1000 * held[int(0.999 * len(held))][0]:.0f} ms (99.9 %), "
        f"at most, and how much of it the host had taken: {own} ms"
    )
    put_away(window)


def shown(path: Path) -> None:
    """In the window: until it is there, and the longest wait of a heartbeat of 5 ms meanwhile and while stepping."""
    window = started(path)
    host = taken()
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
    print(f"stepping: longest wait {1000 * longest:.0f} ms; the host took {taken() - host:.1f} s")
    timer.stop()
    put_away(window)


if __name__ == "__main__":
    main("--measure" in sys.argv)
