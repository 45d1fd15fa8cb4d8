"""`aquin scheduler` and `worker`: measuring on several machines."""

import os
from typing import Annotated

import typer


def scheduler(
    port: Annotated[
        int, typer.Option("--port", min=1, max=65535, help="Where workers and commands find it.")
    ] = 8786,
) -> None:
    """Hand work out to the workers of several machines, until it is stopped. Only for a closed network."""
    from aquin.cluster import serve

    serve(port)


def worker(
    address: Annotated[str, typer.Argument(metavar="SCHEDULER", help="tcp://HOST:8786")],
    processes: Annotated[
        int | None, typer.Option("--processes", min=1, help="Processes; all processors if left out.")
    ] = None,
    root: Annotated[
        list[str] | None,
        typer.Option(
            "--root", help="NAME=FOLDER: where this machine has a root of the production. Repeatable."
        ),
    ] = None,
) -> None:
    """Do work for a scheduler on this machine, until it is stopped."""
    from aquin.cluster import help_out

    help_out(address, processes or os.cpu_count() or 1, root or [])


COMMANDS = (scheduler, worker)
