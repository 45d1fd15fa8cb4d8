"""From starting the program to a window that handles events, warm, against a bare Qt window."""

import os
import subprocess
import sys
import tempfile

from common import ROOT, line

RUNS = 9
BARE = """
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([]); w = QMainWindow(); w.resize(1280, 800)
"""
OURS = """
from aquin.cli import main  # what the command imports first
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


def once(code: str) -> float:
    import time

    start = time.time()
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "AQUIN_STATE": tempfile.mkdtemp()}
    done = subprocess.run(
        [sys.executable, "-c", code + SHOWN], env=environment, capture_output=True, text=True, check=True
    )
    return (float(done.stdout) - start) * 1e3


def main() -> None:
    once(OURS)
    ours, bare = [], []
    for _ in range(RUNS):
        ours.append(once(OURS))
        bare.append(once(BARE))
    line("aquin: start to usable window", ours, bare)
    line("a bare Qt window", bare)


if __name__ == "__main__":
    main()
