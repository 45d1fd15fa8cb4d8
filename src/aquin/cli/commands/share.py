"""`aquin share`, `people` and `unsent`: a production on a server, who may do what there, what waits to be sent."""

from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import asking, opened
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError
from aquin.production.address import address_of, is_address

Where = Annotated[
    str,
    typer.Argument(
        metavar="TO",
        help="postgresql://HOST/DATABASE[?production=NAME]; or, back from there, a file (.aquin).",
    ),
]


def share(file: of.File, to: Where, force: of.Force = False, as_json: of.AsJson = False) -> None:
    """Put a production on a PostgreSQL server for several seats, or take it back into a file."""
    from aquin.cli.words.share import say_shared

    to_server, from_server = is_address(to), is_address(str(file))
    if from_server and to_server:
        raise AquinError("both are addresses", to, "Take it into a file first, and share that")
    if not to_server:
        if not from_server:
            raise AquinError(
                f"'{to}' is no address of a server", None, "Write postgresql://HOST/DATABASE?production=NAME"
            )
        with opened(file, read_only=True) as production:
            production.save_copy(Path(to), force)
            data: dict[str, Any] = {"production": production.name, "file": to}
    else:
        from aquin.production.server.sharing import share as put

        with opened(file, read_only=True) as production:
            done = with_progress(
                "sharing", lambda tell: asking(lambda: put(production, address_of(to), tell))
            )
            data = {
                "production": production.name,
                "address": str(done.address),
                "entries": done.entries,
                "files": list(done.files),
                "roles": done.roles,
            }
    printed(data, as_json, say_shared)


def people(
    file: of.File,
    let: Annotated[
        list[str] | None,
        typer.Option(
            "--let", help="NAME=looks, grades, leads or nobody: what an account may do. Repeatable."
        ),
    ] = None,
    roles: Annotated[
        bool, typer.Option("--roles", help="Make the roles first, where sharing it could not.")
    ] = False,
    as_json: of.AsJson = False,
) -> None:
    """Who may do what in a server's production, and who is there."""
    from aquin.cli.words.share import say_people
    from aquin.jobs.people import give_roles, let_in, people_of, role_in

    wishes = []
    for one in let or []:
        who, sign, word = one.rpartition("=")
        if not (sign and who):
            raise AquinError(f"'{one}' gives nobody a role", None, "Write --let NAME=grades")
        wishes.append((who, role_in(word)))
    with opened(file) as production:
        if roles:
            give_roles(production)
        if wishes:
            let_in(production, wishes)
        data = people_of(production).data()
    printed(data, as_json, say_people)


def unsent(
    file: of.File,
    take: Annotated[
        list[str] | None,
        typer.Option(
            "--take", help="ID=rest, all or none: what becomes of a change that was refused. Repeatable."
        ),
    ] = None,
    as_json: of.AsJson = False,
) -> None:
    """What was changed while the line to the server was cut and could not be sent. Exit 1 where something is left."""
    from aquin.cli.words.share import say_unsent

    with opened(file) as production:
        for one in take or []:
            id, _, word = one.partition("=")
            found = [i for i in production.refused if i.id.startswith(id) and id]
            if word not in ("rest", "all", "none") or len(found) != 1:
                raise AquinError(
                    f"'{one}' decides nothing",
                    production.place,
                    "Write --take ID=rest, all or none; IDs: aquin unsent",
                )
            production.decide(found[0].id, word)
        data = {
            "waiting": [{"id": i.id, "at": i.at, "what": i.what} for i in production.waiting],
            "refused": [{"id": i.id, "at": i.at, "what": i.what, "why": i.words} for i in production.refused],
        }
    printed(data, as_json, say_unsent)
    raise typer.Exit(1 if data["waiting"] or data["refused"] else 0)


COMMANDS = (share, people, unsent)
