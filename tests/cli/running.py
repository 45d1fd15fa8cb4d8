"""The command in the test's own process."""

import io
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
