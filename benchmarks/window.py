"""What one waits for in the window, on the settled demo: views, steps from shot to shot, blocks while settling runs.

With `--against SRC` (the `src` folder of another checkout) the same is measured there in turn, and each line is a
ratio. The demo (AQUIN_DEMO) has to be whole: `./aquin demo --no-window`.
"""

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

from common import ROOT

RUNS = 3
CHILD = r"""
import json, os, sys, time
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from aquin.desk.app import application
try:
    from aquin.desk.screenshots import settle_down
except ImportError:
    from aquin.desk.app import settle_down
from aquin.desk.window import Window

app = application()
production, settling = Path(sys.argv[1]), sys.argv[2] == "settle"
window = Window(keep=False)
window.resize(1280, 800)
window.show()
try:
    from aquin.desk.app import keep_still
    keep_still(window)
except ImportError:
    pass
new = hasattr(window, "session")
state = window.state if new else window.bench
pictures = window.bench.pictures if new else window.view.pictures
jobs = window.jobs if new else window.view.jobs
assert window.open_production(production)
window.show_view("board")
settle_down(window, 120)
out = {}

def spin(until, seconds=60.0):
    end = time.perf_counter() + seconds
    while not until() and time.perf_counter() < end:
        app.processEvents()
        time.sleep(0.001)
    app.processEvents()
    if not until():
        raise SystemExit("waited in vain")

if settling:
    gaps, last = [], [time.perf_counter()]
    def beat():
        now = time.perf_counter()
        gaps.append((now - last[0]) * 1e3)
        last[0] = now
    timer = QTimer()
    timer.timeout.connect(beat)
    timer.start(5)
    window.board.settle_all()
    spin(lambda: not jobs.titles, 900)
    spin(lambda: window.board.latest.idle(), 60)
    for _ in range(50):
        app.processEvents(); time.sleep(0.005)
    gaps.sort()
    out["longest block while settling"] = gaps[-1] - 5
    out["blocks over 50 ms while settling, of beats, 1 in"] = len(gaps) / max(sum(g > 55 for g in gaps), 1)
else:
    for name in ("plan", "shots", "charts", "board", "bench"):
        times = []
        for _ in range(3):
            window.show_view("plan" if name != "plan" else "board")
            settle_down(window, 30)
            begin = time.perf_counter()
            window.show_view(name)
            window.repaint()
            for _ in range(3):
                app.processEvents()
            times.append((time.perf_counter() - begin) * 1e3)
        out[f"open {name}"] = sorted(times)[1]
    board = window.board
    cell = next(c for c in board.cells.values() if len([s for s in c.shots if s.rows]) > 3)
    window.show_view("board")
    settle_down(window, 30)
    board.table.choose([cell.place])
    spin(lambda: board.list.count() > 0)
    board.list.setCurrentRow(0)
    board.look()
    spin(lambda: state.match is not None)
    settle_down(window, 60)
    numbers, shown, fresh = [], [], []
    for step in (1, 1, -1, 1):
        before = state.now.shot.file
        held = pictures.images["shot"]
        begin = time.perf_counter()
        window.step_shot(step)
        app.processEvents()
        spin(lambda: state.now.shot is not None and state.now.shot.file != before and bool(state.ledger()))
        numbers.append((time.perf_counter() - begin) * 1e3)
        spin(lambda: pictures.images["shot"] is not None and pictures.images["shot"] is not held)
        shown.append((time.perf_counter() - begin) * 1e3)
        spin(lambda: state.match is not None and state.pictures is not None)
        fresh.append((time.perf_counter() - begin) * 1e3)
        settle_down(window, 60)
        end = time.perf_counter() + 1.5
        spin(lambda: time.perf_counter() > end)
    out["step: ledger is there"] = sorted(numbers)[len(numbers) // 2]
    out["step: ledger is there, worst"] = max(numbers)
    out["step: picture is there"] = sorted(shown)[len(shown) // 2]
    out["step: picture is there, worst"] = max(shown)
    out["step: measured afresh"] = sorted(fresh)[len(fresh) // 2]
print(json.dumps(out))
sys.stdout.flush()
os._exit(0)
"""


def once(src: Path, production: Path, what: str) -> dict[str, float]:
    environment = os.environ | {
        "PYTHONPATH": str(src),
        "AQUIN_STATE": tempfile.mkdtemp(),
        "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen"),
    }
    done = subprocess.run(
        [sys.executable, "-c", CHILD, str(production), what], env=environment, capture_output=True, text=True
    )
    if done.returncode:
        raise SystemExit(done.stderr[-2000:] or "the measured window ended early")
    return dict(json.loads(done.stdout.strip().splitlines()[-1]))


def settled(demo: Path, src: Path, name: str) -> Path:
    """A copy of the demo's production beside its media, with heroes and all cells settled by that checkout."""
    path = demo / f"{name}.aquin"
    for old in demo.glob(f"{name}.aquin*"):
        old.unlink()
    shutil.copyfile(demo / "ferry.aquin", path)
    environment = os.environ | {"PYTHONPATH": str(src)}
    words = [sys.executable, "-m", "aquin", "settle", str(path), "--heroes", "--json"]
    subprocess.run(words, env=environment, capture_output=True, check=False)
    return path


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--against", type=Path, help="the src folder of another checkout")
    parser.add_argument("--runs", type=int, default=RUNS)
    asked = parser.parse_args()
    demo = Path(os.environ["AQUIN_DEMO"])
    sources = {"now": ROOT / "src"} | ({"then": asked.against} if asked.against else {})
    found: dict[str, dict[str, list[float]]] = {}
    for who, src in sources.items():
        production = settled(demo, src, f"bench-{who}")
        for run in range(asked.runs):
            for key, value in once(src, production, "look").items():
                found.setdefault(key, {}).setdefault(who, []).append(value)
            if run == 0:
                for key, value in once(src, production, "settle").items():
                    found.setdefault(key, {}).setdefault(who, []).append(value)
        for left in demo.glob(f"bench-{who}.aquin*"):
            left.unlink()
    for key, values in found.items():
        now = median(values["now"])
        words = f"{key:52} {now:8.1f}"
        if "then" in values:
            then = median(values["then"])
            words += f"   before {then:8.1f}   {now / max(then, 1e-6):.2f} of it"
        print(words)


if __name__ == "__main__":
    main()
