"""The shot log at 5,000 shots: opening, filtering, editing, in the core and in the window, and the memory it takes.

Run: .venv/bin/python benchmarks/log.py [COUNT]
"""

import os
import resource
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from statistics import median

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def timed(name: str, work: Callable[[], object], times: int = 5) -> float:
    """Median milliseconds."""
    taken = []
    for _ in range(times):
        begin = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - begin))
    print(f"{name:56} {median(taken):8.1f} ms   (worst {max(taken):.1f})")
    return median(taken)


def memory() -> float:
    """Megabytes that this process holds now."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


def main(count: int) -> None:
    os.environ["AQUIN_STATE"] = tempfile.mkdtemp()
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "desk"))
    from test_shots import fill

    from aquin.colour.config import ColourConfig
    from aquin.desk.shots.log import ShotLog
    from aquin.production import Production, Shot

    path = Path(tempfile.mkdtemp()) / "many.aquin"
    begin = time.perf_counter()
    fill(path, count).close()
    print(
        f"{count} shots logged as one step in {time.perf_counter() - begin:.2f} s; "
        f"the file takes {path.stat().st_size / 1e6:.1f} MB"
    )
    before = memory()
    production = Production.open(path)
    print(f"memory: {memory() - before:.1f} MB for the records")
    config = ColourConfig.load()
    timed("open the file", lambda: Production.open(path).close())
    timed(
        "open the file, and group and sort the list", lambda: ShotLog(Production.open(path), config).groups()
    )
    log = ShotLog(production, config)

    def filtered(words: str) -> None:
        log.words = words
        log.groups()

    timed("filter: first words", lambda: filtered("heron"), 1)
    for words in ("heron galley", "camera:egret slate", "no such"):
        timed(f"filter: {words}", lambda w=words: filtered(w))
    shots = production.all(Shot)
    timed("write one cell", lambda: production.change("x", replace(shots[7], note=str(time.perf_counter()))))
    timed(
        f"write one value into {count} shots",
        lambda: production.change("x", *(replace(s, note=str(time.perf_counter())) for s in shots)),
        2,
    )
    timed("undo that", production.undo, 1)
    production.close()
    window_part(path)


def window_part(path: Path) -> None:
    from aquin.desk.app import application, put_away
    from aquin.desk.screenshots import settle_down
    from aquin.desk.window import Window

    app = application()
    window = Window(keep=False)
    window.resize(1280, 800)
    window.show()
    settle_down(window)
    before = memory()
    window.show_view("shots")

    def opened() -> None:
        window.open_production(path)
        app.processEvents()

    timed("window: open the production and paint the list", opened, 3)
    settle_down(window)
    print(f"memory: {memory() - before:.1f} MB more in the window, {memory():.0f} MB in all")

    def filtered(words: str) -> None:
        window.shots.filter.setText(words)
        window.shots._filter()
        app.processEvents()

    for words in ("heron", "heron galley", ""):
        timed(f"window: filter '{words}' and paint", lambda w=words: filtered(w), 3)
    shot = window.shots.model.shots[5]

    def edited() -> None:
        window.shots.log.edit([shot], "note", str(time.perf_counter()))
        app.processEvents()

    settle_down(window)
    timed("window: edit one cell, show it everywhere", edited)
    put_away(window)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
