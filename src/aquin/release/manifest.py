"""What a release says of itself: `release.json`, which lists every file with its SHA-256, and `release.sha256`, which
any program can check (`sha256sum -c release.sha256`).
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.reading import json_of
from aquin.release.checked import check_about, check_shot

FORMAT = 1
MANIFEST, SUMS, SIGNATURE = "release.json", "release.sha256", "release.sig"
OWN = (MANIFEST, SUMS, SIGNATURE)
"""Files that no list of `release.json` holds: itself, and what vouches for it."""
MOST_BYTES = 200_000_000
MOST_FILES = 200_000
PIECE = 1 << 20
_REMEDY = "Ask whoever made the release for it again"


@dataclass(frozen=True)
class Listed:
    """A file of a release. `was`: its SHA-256 in earlier releases, by their version."""

    name: str
    sha256: str
    bytes: int
    was: Mapping[int, str] = field(default_factory=dict)

    def values(self) -> dict[str, Any]:
        out: dict[str, Any] = {"name": self.name, "sha256": self.sha256, "bytes": self.bytes}
        return out | ({"was": {str(k): v for k, v in self.was.items()}} if self.was else {})


@dataclass(frozen=True)
class Manifest:
    """`about`: version, parent, production, who, when, chain, cameras, looks, edits; `shots`: what is said of each."""

    about: Mapping[str, Any]
    shots: tuple[Mapping[str, Any], ...]
    files: tuple[Listed, ...]

    @property
    def version(self) -> int:
        return int(self.about["version"])

    @property
    def identity(self) -> str:
        """Of the production; copies of one have the same."""
        return str(self.about["production"]["id"])

    @property
    def signer(self) -> str:
        """The public key whose signature belongs to it, 64 hexadecimal digits; empty where it is not signed."""
        return str(self.about.get("signed_by") or "")

    def shot(self, name: str) -> Mapping[str, Any] | None:
        """A shot by its name or its id."""
        return next((s for s in self.shots if name in (s["name"], s["id"])), None)

    def file(self, name: str) -> Listed | None:
        return next((f for f in self.files if f.name == name), None)

    def data(self) -> dict[str, Any]:
        data = {"aquin_release": FORMAT, **self.about}
        data |= {"shots": list(self.shots), "files": [f.values() for f in self.files]}
        return data

    def text(self) -> str:
        data = self.data()
        return json.dumps(data | {"seal": seal_of(data)}, indent=1, ensure_ascii=False) + "\n"


def seal_of(data: Mapping[str, Any]) -> str:
    """The SHA-256 of what a manifest says, whatever its layout."""
    said = {k: v for k, v in data.items() if k != "seal"}
    text = json.dumps(said, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def read_manifest(folder: Path) -> tuple[Manifest, bool]:
    """What a release says, and whether it is as it was sealed. Raises AquinError."""
    path = folder / MANIFEST
    try:
        data = json_of(path, MOST_BYTES)
        kind = data["aquin_release"]
        if kind != FORMAT:
            raise ValueError(f"a release of form {kind!r}, this Aquin reads {FORMAT}")
        about = {k: v for k, v in data.items() if k not in ("aquin_release", "shots", "files", "seal")}
        files = tuple(_listed(f) for f in data["files"])
        shots = tuple(_shot(s) for s in data["shots"])
        if len(files) > MOST_FILES or len({f.name for f in files}) < len(files):
            raise ValueError("its list of files is not usable")
        check_about(about)
        made = Manifest(about, shots, files)
        for camera in about["cameras"]:
            inside(camera["input"])
        for look in about["looks"]:
            inside(look["clf"])
            inside(look["json"])
        return made, data.get("seal") == seal_of(data)
    except OSError as error:
        raise AquinError(
            f"this folder holds no release that can be read ({error.strerror})", path, "Name its folder"
        ) from error
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise AquinError(f"this is no release ({error})", path, _REMEDY) from error


def _listed(values: Mapping[str, Any]) -> Listed:
    was = {int(k): str(v) for k, v in dict(values.get("was") or {}).items()}
    return Listed(inside(str(values["name"])), str(values["sha256"]), int(values["bytes"]), was)


def _shot(values: Mapping[str, Any]) -> Mapping[str, Any]:
    check_shot(values)
    for name in [*dict(values["files"]).values(), *_frames(values)]:
        inside(str(name))
    return values


def _frames(values: Mapping[str, Any]) -> list[str]:
    check = values.get("check") or {}
    return [str(check[k]) for k in ("source", "graded", "screen") if check.get(k)]


def inside(name: str) -> str:
    """A name that stays in the release's folder. Raises ValueError."""
    parts = name.split("/")
    if name.startswith("/") or "\\" in name or "\0" in name or any(p in ("", ".", "..") for p in parts):
        raise ValueError(f"the name {name[:60]!r} leaves the release's folder")
    return name


def sha256_of(path: Path) -> str:
    """Raises OSError."""
    digest = hashlib.sha256()
    with path.open("rb") as stream:
        while piece := stream.read(PIECE):
            digest.update(piece)
    return digest.hexdigest()


def files_in(folder: Path) -> Iterator[str]:
    """The names of all files below a folder, with `/` between; links are named and not followed. Raises OSError."""
    for path in sorted(folder.rglob("*")):
        if path.is_symlink() or not path.is_dir():
            yield path.relative_to(folder).as_posix()


def sums_text(manifest: Manifest, own: str) -> str:
    """`release.sha256`. `own`: the SHA-256 of `release.json`."""
    lines = [f"{own}  {MANIFEST}", *(f"{f.sha256}  {f.name}" for f in manifest.files)]
    return "\n".join(lines) + "\n"


def sums_of(text: str) -> dict[str, str]:
    """What a `release.sha256` says, by file; lines that say nothing are left out."""
    out = {}
    for line in text.splitlines():
        digest, gap, name = line.partition("  ")
        if gap and len(digest) == 64:
            out[name] = digest
    return out
