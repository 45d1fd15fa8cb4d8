"""The `aquin` command. Exit 0: done; 1: done with findings; 2: wrong use or unreadable input (one line on stderr)."""

import sys
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer

from aquin import __version__
from aquin.cli.commands import (
    charts,
    cluster,
    continuity,
    decode,
    files,
    level,
    look,
    matching,
    plan,
    production,
    release,
    screens,
    share,
    simulate,
    start,
)
from aquin.cli.options import on_cluster
from aquin.errors import AquinError
from aquin.production.address import place_of
from aquin.trusted import Unasked, trust

UsageError: Any = typer.BadParameter.__base__
"""What the command-line library raises for wrong use; it exports only this child of it."""

app = typer.Typer(
    name="aquin",
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Aquin matches the cameras of a multi-camera shoot. Without a command it opens its window.",
)
for family in (
    production,
    decode,
    plan,
    matching,
    level,
    continuity,
    look,
    screens,
    release,
    share,
    cluster,
    charts,
    start,
    files,
):
    for command in family.COMMANDS:
        app.command()(command)
app.add_typer(simulate.app, name="simulate")


@app.callback(invoke_without_command=True)
def main(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
    cluster: Annotated[
        str | None,
        typer.Option(
            "--cluster", callback=on_cluster, help="The window's long work is done by this scheduler."
        ),
    ] = None,
    session: Annotated[
        Path | None,
        typer.Option(
            "--open",
            parser=place_of,
            help="Open the window with a production (a file, or a server's address), or a saved session.",
        ),
    ] = None,
) -> None:
    if version:
        print(__version__)
        raise typer.Exit
    if context.invoked_subcommand is None:
        from aquin.cli import window

        raise typer.Exit(window.open_window(session))


def run() -> NoReturn:
    """Entry point: one clear line for every expected failure."""
    try:
        code = _asking_first()
    except AquinError as error:
        _fail(error.line())
    except typer.Abort:
        sys.exit(2)
    except UsageError as error:
        hint = f". See: {error.ctx.command_path} --help" if error.ctx else ""
        _fail(" ".join(error.format_message().split()).rstrip(".") + hint)
    except OSError as error:  # a name that is too long, a drive that went: no reader of ours said it
        where = f": {error.filename}"[:200] if error.filename else ""
        _fail(f"the system refuses it ({error.strerror or error}){where}. Check the name and the drive.")
    except KeyboardInterrupt:
        _fail("stopped")
    except BrokenPipeError:
        sys.exit(0)
    sys.exit(code if isinstance(code, int) else 0)


def arguments(given: list[str]) -> list[str]:
    """As they are understood: a production that is named alone, as file managers do it, is opened in the window."""
    alone = len(given) == 1 and not given[0].startswith("-")
    if alone and (given[0].startswith("postgresql://") or Path(given[0]).suffix == ".aquin"):
        return ["--open", *given]
    return given


def _asking_first() -> Any:
    """Run the command; where it finds a configuration that nobody has spoken about, ask who sits at the terminal."""
    given = arguments(sys.argv[1:])
    try:
        return app(given, standalone_mode=False, prog_name="aquin")
    except Unasked as error:
        if not (sys.stdin.isatty() and sys.stderr.isatty()):
            raise
        print(f"aquin: a colour configuration lies above the media: {error.path}", file=sys.stderr)
        if input("Use it, now and later? [y/N] ").strip().lower() != "y":
            raise
        trust(error.path)
        return app(given, standalone_mode=False, prog_name="aquin")


def _fail(line: str) -> NoReturn:
    print(f"aquin: {line}", file=sys.stderr)
    sys.exit(2)
