"""From starting the program to a window that handles events, warm, against a bare Qt window and, with `--against SRC`,
another state of the program. Bytecode is kept, as it is wherever the program was started before.
"""

import argparse
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from common import ROOT, line

RUNS = 9
BARE = """
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([]); w = QMainWindow(); w.resize(1280, 800)
"""
OURS = """
from aquin.cli import window  # what the command without arguments imports first
import gc; gc.disable()  # as it does
from aquin.desk.app import first_window
from PySide6.QtWidgets import QApplication
w = first_window(); app = QApplication.instance()
"""
BEFORE = """
from aquin.cli import main
from aquin.desk.app import application
from aquin.desk.window import Window
app = application(); w = Window()
"""
SHOWN = """
w.show()
for _ in range(5): app.processEvents()
import time; print(time.time())
import os; os._exit(0)
"""


def once(code: str, source: Path, bytecode: str) -> float:
    start = time.time()
    environment = os.environ | {
        "PYTHONPATH": str(source),
        "PYTHONPYCACHEPREFIX": bytecode,
        "AQUIN_STATE": tempfile.mkdtemp(),
    }
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    done = subprocess.run(
        [sys.executable, "-c", code + SHOWN], env=environment, capture_output=True, text=True, check=True
    )
    return (float(done.stdout) - start) * 1e3


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--against", type=Path)
    other: Path | None = parser.parse_args().against
    kinds = {"ours": (OURS, ROOT / "src"), "bare": (BARE, ROOT / "src")}
    if other is not None:
        kinds["other"] = (BEFORE, other)
    times: dict[str, list[float]] = {kind: [] for kind in kinds}
    with tempfile.TemporaryDirectory() as bytecode:
        for run in range(RUNS + 1):
            for kind, (code, source) in kinds.items():
                took = once(code, source, bytecode)
                if run:
                    times[kind].append(took)
    line("aquin: start to usable window", times["ours"], times["bare"])
    if other is not None:
        line("the other state of it", times["other"], times["bare"])
    line("a bare Qt window", times["bare"])


if __name__ == "__main__":
    main()
