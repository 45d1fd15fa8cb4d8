"""From a file to a server."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.address import Address, slug
from aquin.production.belongings import files_of
from aquin.production.media import root_folder
from aquin.production.people import workstation
from aquin.production.records import Place, Root
from aquin.production.server.copying import attach, copy_rows, make
from aquin.production.store import Production

Tell = Callable[[float, str], None]


@dataclass(frozen=True)
class Shared:
    """`roles`: why the server could not be given roles; empty where it could. `files`: those that went with it."""

    address: Address
    entries: int
    files: tuple[str, ...]
    roles: str = ""


def share(production: Production, address: Address, tell: Tell | None = None) -> Shared:
    """Put a production on a server, as it is; the file stays as it was. Raises AquinError, and then the server is as
    it was.
    """
    if production.waiting or production.refused:
        raise AquinError("changes of it wait to be sent", production.place, "Wait for its server first")
    address = address if address.production else address.of(slug(production.name) or "production")
    files = files_of(production)
    with production._lock, production._errors(), production._keeper.connect() as source:

        def fill(connection: sql.Connection) -> None:
            copy_rows(source, connection, production._keeper.order, tell)
            for path in files:
                attach(connection, path)

        refused = make(address, production.name, fill)
    _place_roots(production, address)
    return Shared(address, production.journal(1)[0].number, tuple(p.name for p in files), refused)


def _place_roots(production: Production, address: Address) -> None:
    """Folders that were found beside the file have their place on this machine said."""
    folders = {root.id: root_folder(production, root) for root in production.all(Root) if root.beside}
    shared = Production.open(address)
    try:
        here = {p.root_id: p for p in shared.all(Place) if p.workstation == workstation()}
        puts: list[Any] = []
        for root in shared.all(Root):
            folder = folders.get(root.id)
            if root.beside:
                puts.append(replace(root, beside=""))
            if folder is not None and root.id in here:
                puts.append(replace(here[root.id], folder=str(folder.absolute())))
            elif folder is not None:
                puts.append(Place(root.id, workstation(), str(folder.absolute())))
        shared.change("share the production", *puts)
    finally:
        shared.close()
