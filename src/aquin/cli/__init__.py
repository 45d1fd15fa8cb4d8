"""The command line: the same core as the window, for scripts and render machines."""

import sys
from typing import NoReturn


def run() -> NoReturn:
    """Entry point. Without a command the window opens, without loading the commands first."""
    if len(sys.argv) == 1:
        from aquin.cli.window import open_window

        sys.exit(open_window(None))
    from aquin.cli.main import run as run_command

    run_command()
