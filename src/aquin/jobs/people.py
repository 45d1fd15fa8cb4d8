"""Who is in a server's production, who may be, and what could not be sent: for the window and the command line."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, get_args

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.server import schema
from aquin.production.server.keeper import ServerKeeper
from aquin.production.server.schema import ROLES, Role

if TYPE_CHECKING:
    from aquin.production import Production


@dataclass(frozen=True)
class People:
    """`me`: this account and its role; `let_in`: the others that were given a role; `roles`: whether the server has the
    production's roles at all.
    """

    me: tuple[str, str]
    let_in: tuple[tuple[str, str], ...]
    here: tuple[dict[str, Any], ...]
    roles: bool

    def data(self) -> dict[str, Any]:
        return {
            "me": {"who": self.me[0], "role": self.me[1]},
            "people": [{"who": who, "role": role} for who, role in self.let_in],
            "here": list(self.here),
            "roles": self.roles,
        }


def people_of(production: Production) -> People:
    """Raises AquinError for a file: whoever has it may do everything."""
    keeper = _server(production)
    with production._errors("people can't be read"), keeper.connect() as connection:
        found = schema.people(connection, keeper.address)
        there = sql.text("SELECT count(*) FROM pg_roles WHERE rolname = ANY(:names)")
        names = list(schema.role_names(connection, keeper.address).values())
        roles = connection.execute(there, {"names": names}).scalar_one() == len(names)
    here = [
        {"who": s.who, "workstation": s.workstation, "shot": s.shot_id, "work": [what for _, what in s.work]}
        for s in production.seats()
    ]
    return People((keeper.who, keeper.role or ""), tuple(found), tuple(here), roles)


def role_in(word: str) -> Role | None:
    """A role by its name; None for nobody. Raises AquinError."""
    if word in ("nobody", "none"):
        return None
    if word not in ROLES:
        known = "; ".join(f"{r} ({said})" for r, said in ROLES.items())
        raise AquinError(f"there is no role '{word}'", None, f"There are: {known}; or nobody")
    found: Role = next(r for r in get_args(Role) if r == word)
    return found


def let_in(production: Production, wishes: Sequence[tuple[str, Role | None]]) -> None:
    """Give accounts roles, or none; all of it or nothing. Raises AquinError."""
    keeper = _server(production)
    with _led(production, keeper) as connection:
        for who, role in wishes:
            schema.let(connection, keeper.address, who, role)


def give_roles(production: Production) -> None:
    """Make the roles of a production that was shared by an account that could not. Raises AquinError."""
    keeper = _server(production)
    with _led(production, keeper) as connection:
        schema.make_roles(connection, keeper.address)


@contextmanager
def _led(production: Production, keeper: ServerKeeper) -> Iterator[sql.Connection]:
    """The server's own administration, in one transaction."""
    with production._errors("that was not done"), keeper.connect() as plain:
        connection = plain.execution_options(aside=True)
        with connection.begin():
            yield connection


def _server(production: Production) -> ServerKeeper:
    keeper: object = production._keeper
    if not isinstance(keeper, ServerKeeper):
        raise AquinError(
            "a production in a file has no roles: whoever can write the file may do everything",
            production.place,
            "Share it: aquin share FILM.aquin postgresql://HOST/DATABASE",
        )
    return keeper
