"""Passwords: in the platform's keyring or in the server's own files, never in a production, a journal or an address."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from aquin.production.address import Address

SERVICE = "aquin"
_asked: dict[str, str] = {}
"""Passwords that were typed since the program was started, where the platform has no keyring."""
ask: Callable[[Address], str] | None = None
"""How the person is asked; none: not at all."""


def secret_of(address: Address) -> str:
    """The password that is known for a server; empty where none is."""
    if address.server in _asked:
        return _asked[address.server]
    if os.environ.get("PGPASSWORD") or os.environ.get("PGPASSFILE"):
        return ""  # libpq has it
    ring = _ring()
    try:
        return (ring.get_password(SERVICE, address.server) or "") if ring is not None else ""
    except Exception:  # a keyring that is locked or gone: whatever its platform raises
        return ""


def keep_secret(address: Address, word: str, for_good: bool) -> bool:
    """Use a password; with `for_good` in the platform's keyring. False where it could not be kept there."""
    _asked[address.server] = word
    if not for_good:
        return True
    ring = _ring()
    try:
        if ring is None:
            return False
        ring.set_password(SERVICE, address.server, word)
    except Exception:
        return False
    return True


def forget(address: Address) -> None:
    """Drop a password that the server did not take."""
    _asked.pop(address.server, None)


def _ring() -> Any:
    """The platform's keyring; None where there is none."""
    try:
        import keyring
        from keyring.backends import fail
    except ImportError:
        return None
    found = keyring.get_keyring()
    return None if isinstance(found, fail.Keyring) else found
