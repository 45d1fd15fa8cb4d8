"""What the processes that work beside the program need, imported once: they are forked from one that has imported this.
One thread each: as many of them as there are cores leave no room for more.
"""

import os
from importlib import import_module

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ[_name] = "1"  # read when NumPy is loaded
os.nice(10)  # whoever works in the window comes first, while this imports as well

for _name in (
    "production.beside",
    "production.cut.work",
    "production.looking",
    "production.measuring",
    "release.shot_files",
):
    import_module(f"aquin.{_name}")
