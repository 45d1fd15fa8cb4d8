"""Signatures of releases: Ed25519 (RFC 8032), by the `cryptography` package."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.files import write_safely

MOST_BYTES = 100_000


def key_at(path: Path) -> Any:
    """The private key in a PEM file; made, for this person's eyes alone, where there is none. Raises AquinError."""
    from cryptography.exceptions import UnsupportedAlgorithm
    from cryptography.hazmat.primitives import serialization
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    if not path.exists():
        made = Ed25519PrivateKey.generate()
        text = made.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
        write_safely(path, lambda p: _put(p, text))
        path.chmod(0o600)
        return made
    try:
        if path.stat().st_size > MOST_BYTES or not path.is_file():
            raise ValueError("it is no key file")
        key = serialization.load_pem_private_key(path.read_bytes(), None)
    except OSError as error:
        raise AquinError(f"the key can't be read ({error.strerror})", path, "Check the name") from error
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        words = "it is locked by a password" if isinstance(error, TypeError) else "it is no private key"
        raise AquinError(
            f"the key can't be used ({words})", path, "Name a new file: a key is made there"
        ) from error
    if not isinstance(key, Ed25519PrivateKey):
        raise AquinError("this is another kind of key", path, "Name a new file: an Ed25519 key is made there")
    return key


def _put(path: Path, text: bytes) -> None:
    os.chmod(path, 0o600)
    path.write_bytes(text)


def public_of(key: Any) -> str:
    """A private key's public half, 64 hexadecimal digits."""
    return str(key.public_key().public_bytes_raw().hex())


def sign(key: Any, text: bytes) -> str:
    """128 hexadecimal digits."""
    return str(key.sign(text).hex())


def holds(public: str, signature: str, text: bytes) -> bool:
    """Whether a signature over some text is of a public key."""
    from cryptography.exceptions import InvalidSignature
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    try:
        Ed25519PublicKey.from_public_bytes(bytes.fromhex(public)).verify(
            bytes.fromhex(signature.strip()), text
        )
    except (ValueError, InvalidSignature):
        return False
    return True
