"""The shot log at 5,000 shots: opening, filtering, editing, in the core and in the window, and the memory it takes;
with a camera report of 2,000 rows, an edit of 500 pieces, another program's changes and a long journal.

Run: .venv/bin/python benchmarks/log.py [COUNT [ENTRIES]]
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


def with_entries(path: Path, entries: int) -> None:
    """Make the journal as long as after a long production."""
    import sqlite3

    held = sqlite3.connect(path)
    (last,) = held.execute("SELECT max(number) FROM journal").fetchone()
    shot = held.execute("SELECT id FROM shot LIMIT 1").fetchone()[0]
    rows = []
    for k in range(entries):
        before, after = f"{k - 1}" if k else "", f"{k}"
        changes = f'[["shot","{shot}",{{"note":"{before}"}},{{"note":"{after}"}}]]'
        who = "Mara" if k % 3 else "Oskar"
        rows.append((last + 1 + k, f"e{k}", "2026-11-02T10:00:00.000+00:00", who, f"note {k}", changes))
    held.executemany(
        "INSERT INTO journal (number, id, at, who, what, why, step, changes, seat, based_on) "
        "VALUES (?, ?, ?, ?, ?, '', 'do', ?, 'bench', 0)",
        rows,
    )
    held.execute("UPDATE shot SET note = ? WHERE id = ?", (f"{entries - 1}", shot))
    held.commit()
    held.close()


def heavy(path: Path) -> None:
    """A report, an edit, and another program."""
    from fractions import Fraction

    from aquin.colour.config import ColourConfig
    from aquin.production import Production, Shot
    from aquin.production.conform import Cut, CutList, conform
    from aquin.production.report import apply_report, propose_mapping, read_sheet

    production, other = Production.open(path), Production.open(path)
    shots = production.all(Shot)
    step = max(len(shots) // 2000, 1)
    sheet = path.with_name("report.csv")
    lines = [
        f"{s.name},{s.reel},{s.start},slate {k % 90},{k % 9}" for k, s in enumerate(shots[::step][:2000])
    ]
    sheet.write_text("Clip,Reel,Start TC,Slate,Take\n" + "\n".join(lines) + "\n")
    config, held = ColourConfig.load(), read_sheet(sheet)
    timed(
        f"camera report of {len(lines)} rows",
        lambda: apply_report(production, held, propose_mapping(held, {}), config),
        1,
    )
    cuts = []
    for k in range(500):
        shot = shots[(k * 37) % len(shots)]
        hour, minute = shot.start[:2], shot.start[3:5]
        start, end = f"{hour}:{minute}:00:04", f"{hour}:{minute}:00:20"
        cuts.append(Cut(shot.reel, shot.name if k % 3 else "", start, end, "", 16))
    edit = CutList("cut", "cut.edl", Fraction(24), tuple(cuts))
    timed("edit of 500 pieces conformed", lambda: conform(production, edit), 3)
    other.refresh()

    def arrives() -> None:
        production.change("x", replace(shots[9], note=str(time.perf_counter())))
        begin = time.perf_counter()
        assert other.refresh()
        arrived.append(1000 * (time.perf_counter() - begin))

    arrived: list[float] = []
    for _ in range(5):
        arrives()
    print(f"{'another program has the change':56} {median(arrived):8.1f} ms   (worst {max(arrived):.1f})")
    timed("undo", production.undo, 3)
    production.close()
    other.close()


def main(count: int, entries: int = 0) -> None:
    os.environ["AQUIN_STATE"] = tempfile.mkdtemp()
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    from aquin.colour.config import ColourConfig
    from aquin.desk.shots.log import ShotLog
    from aquin.production import Production, Shot
    from desk.test_shots import fill

    path = Path(tempfile.mkdtemp()) / "many.aquin"
    begin = time.perf_counter()
    fill(path, count).close()
    print(
        f"{count} shots logged as one step in {time.perf_counter() - begin:.2f} s; "
        f"the file takes {path.stat().st_size / 1e6:.1f} MB"
    )
    if entries:
        with_entries(path, entries)
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
    heavy(path)
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

    def undone() -> None:
        window.history.undo()
        app.processEvents()

    timed("window: Ctrl+Z, shown everywhere", undone, 3)
    put_away(window)


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:3] or ["5000"]))
