"""The command in the test's own process."""

import io
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pytest

from aquin.cli import main as command


def plain(*words: str | Path) -> tuple[int, str, str]:
    """Exit code, and what it said on stdout and stderr."""
    out, err = io.StringIO(), io.StringIO()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(sys, "argv", ["aquin", *map(str, words)])
        with redirect_stdout(out), redirect_stderr(err), pytest.raises(SystemExit) as stop:
            command.run()
    return int(stop.value.code or 0), out.getvalue(), err.getvalue()


def loaded_by(*modules: str) -> set[str]:
    """All modules that importing these loads, in a process of its own."""
    code = f"import sys, {', '.join(modules)}; print('\\n'.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return set(done.stdout.split())
