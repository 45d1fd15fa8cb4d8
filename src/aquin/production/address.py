"""Addresses of productions on a server: `postgresql://[PERSON@]HOST[:PORT]/DATABASE[?production=NAME]`."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import parse_qsl, quote, unquote, urlencode, urlsplit

from aquin.errors import AquinError

if TYPE_CHECKING:
    from typing_extensions import TypeIs

SCHEMES = ("postgresql://", "postgres://")
FORM = "postgresql://HOST/DATABASE?production=NAME"
OPTIONS = {"service", "sslmode", "sslrootcert", "sslcert", "sslkey", "passfile", "host", "port", "user"}
"""What an address may say beside the production, as libpq names it (PostgreSQL documentation, 34.1.2)."""
LONGEST = 40
"""Letters of a production's name on the server; names there have at most 63 bytes."""


@dataclass(frozen=True)
class Address:
    """`production` may be empty where the database holds one alone. There is never a password in it."""

    user: str = ""
    host: str = ""
    port: int | None = None
    database: str = ""
    production: str = ""
    options: tuple[tuple[str, str], ...] = ()

    def __str__(self) -> str:
        user = f"{quote(self.user, safe='')}@" if self.user else ""
        port = f":{self.port}" if self.port else ""
        words = [*self.options, *([("production", self.production)] if self.production else [])]
        query = f"?{urlencode(words)}" if words else ""
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"postgresql://{user}{host}{port}/{quote(self.database)}{query}"

    @property
    def stem(self) -> str:
        """The production's name as a file may be called."""
        return self.production or "production"

    @property
    def parent(self) -> str:
        """Where it lies, in words."""
        return f"{self.database or 'its database'} on {self.host or 'this machine'}"

    @property
    def suffix(self) -> str:
        """An address has no ending."""
        return ""

    @property
    def schema(self) -> str:
        """The schema that holds it."""
        return schema_of(self.production)

    @property
    def server(self) -> str:
        """Who is asked for a password: the key in the platform's keyring."""
        where = f"{self.host or 'local'}:{self.port or 5432}/{self.database}"
        return f"{self.user}@{where}" if self.user else where

    @property
    def mark(self) -> str:
        """A short word that differs for each production, for folders of this machine."""
        full = str(replace(self, user=""))
        return f"{slug(self.stem)}-{hashlib.blake2b(full.encode(), digest_size=5).hexdigest()}"

    def of(self, production: str) -> Address:
        return replace(self, production=production)


class NeedsPassword(AquinError):
    """The server wants a password, or another one, for an address."""

    def __init__(self, what: str, address: Address) -> None:
        super().__init__(what, str(address), "Check the name and the password, or ask who runs the server")
        self.address = address


def is_address(text: object) -> TypeIs[str | Address]:
    return isinstance(text, Address) or (isinstance(text, str) and text.lower().startswith(SCHEMES))


def address_of(text: object) -> Address:
    """Raises AquinError; also for a password, which does not belong into commands and histories."""
    if isinstance(text, Address):
        return text
    try:
        parts = urlsplit(str(text))
        port = parts.port
    except ValueError as error:
        raise AquinError(f"this is no address of a server ({error})", None, f"Write {FORM}") from error
    if parts.password is not None:
        raise AquinError(
            "an address holds no password",
            f"{parts.scheme}://{parts.hostname or ''}{parts.path}",
            "Leave it out: it is asked for and kept in the keyring, or read from ~/.pgpass or a service file",
        )
    held = dict(parse_qsl(parts.query, keep_blank_values=True))
    production = held.pop("production", "")
    wrong = sorted(held.keys() - OPTIONS)
    if wrong or parts.fragment:
        raise AquinError(f"an address has no '{(wrong or [parts.fragment])[0]}'", str(text), f"Write {FORM}")
    if production and not slug(production):
        raise AquinError(f"'{production}' is no name for a production", None, "Use letters and numbers")
    return Address(
        unquote(parts.username or ""),
        parts.hostname or "",
        port,
        unquote(parts.path.strip("/")),
        slug(production),
        tuple(sorted(held.items())),
    )


def place_of(text: str) -> Path | Address:
    """A production as a person names it: a file, or the address of a server's."""
    return address_of(text) if is_address(text) else Path(text)


def slug(name: str) -> str:
    """A name as a server's schema and a folder may be called."""
    return re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:LONGEST].strip("_")


def schema_of(production: str) -> str:
    return f"aquin_{production}"
