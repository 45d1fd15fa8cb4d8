"""`aquin demo`: the demo shoot, filmed and opened."""

import sys
from pathlib import Path
from typing import Annotated

import typer


def demo(
    dir: Annotated[Path | None, typer.Option("--dir", help="Where the demo is built and kept.")] = None,
    no_window: Annotated[bool, typer.Option("--no-window", help="Film all of it and end.")] = False,
    screenshots: Annotated[
        Path | None,
        typer.Option("--screenshots", help="Draw every main view into this folder, without a screen."),
    ] = None,
) -> None:
    """Open the demo shoot. Where it is not there yet, its first takes are filmed now and the rest while the window is
    open.
    """
    from aquin.cli import window
    from aquin.cli.output import with_progress
    from aquin.own_files import demo_folder
    from aquin.simulate.demo import build_demo, film_first_takes
    from aquin.simulate.logbook import log_demo

    folder = (dir if dir is not None else demo_folder()).absolute()
    if no_window:
        session = with_progress("filming the demo shoot", lambda tell: build_demo(folder, tell))
        with_progress("logging and auditing it", lambda tell: log_demo(folder, tell, audit=True))
    else:
        session = with_progress("filming the first takes", lambda tell: film_first_takes(folder, tell))
        with_progress("logging them", lambda tell: log_demo(folder, tell))
    print(f"demo: {session}", file=sys.stderr)
    if screenshots is not None:
        for path in window.save_screenshots(session, screenshots):
            print(path)
    elif not no_window:
        raise typer.Exit(window.open_window(session, folder))


COMMANDS = (demo,)
