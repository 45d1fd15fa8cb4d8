"""Verify a release: every file against its hash, and the check frames again by every route."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.release.manifest import Manifest
from aquin.release.package import release_at
from aquin.release.routes import Found, routes
from aquin.release.state import Standing, standing
from aquin.workers import Tell, part

if TYPE_CHECKING:
    from aquin.production import Production


@dataclass(frozen=True)
class Verified:
    """`media`: shots by name whose media were looked for: `same`, `other` (another content) or `missing`. `newest`:
    what the production has against the release, in words; empty where none was asked.
    """

    standing: Standing
    routes: tuple[Found, ...]
    media: tuple[tuple[str, str], ...] = ()
    newest: str = ""

    @property
    def manifest(self) -> Manifest:
        return self.standing.manifest

    @property
    def ok(self) -> bool:
        sound = all(state == "same" for _, state in self.media)
        return self.standing.ok and all(r.ok for r in self.routes) and sound and not self.newest

    def data(self) -> dict[str, Any]:
        about = self.manifest.about
        return {
            "ok": self.ok,
            "version": self.manifest.version,
            "production": about["production"]["name"],
            "who": about["who"],
            "when": about["when"],
            "signature": self.standing.signature,
            "signed_by": self.manifest.signer or None,
            "files": [f.data() for f in self.standing.files],
            "routes": [r.data() for r in self.routes],
            "media": [{"shot": s, "state": w} for s, w in self.media],
            "newest": self.newest,
        }


def verify(
    path: Path, media: Path | None = None, production: Production | None = None, tell: Tell | None = None
) -> Verified:
    """Slow, for a worker. `media`: a folder in which the shots' media are looked for. `production`: asked whether this
    is its newest release. Raises AquinError where there is no release.
    """
    with release_at(path) as folder:
        stands = standing(folder, part(tell, 0.0, 0.3))
        found = routes(folder, stands.manifest, stands.sound, part(tell, 0.3, 0.95))
        there = () if media is None else _media(stands.manifest, media)
        return Verified(stands, tuple(found), there, _newest(stands.manifest, production))


def _media(manifest: Manifest, media: Path) -> tuple[tuple[str, str], ...]:
    from aquin.jobs.release_media import Media

    known = Media(media)
    return tuple((str(s["name"]), known.state(s)) for s in manifest.shots)


def _newest(manifest: Manifest, production: Production | None) -> str:
    if production is None:
        return ""
    from aquin.jobs.make_release import releases_of
    from aquin.release.manifest import seal_of

    if production.identity != manifest.identity:
        return f"it is a release of another production ({manifest.about['production']['name']})"
    known = releases_of(production)
    mine = next((r for r in known if r["version"] == manifest.version), None)
    if mine is None:
        return "the production knows no such release: it was made from a copy of it"
    if mine.get("seal") != seal_of(manifest.data()):
        return f"the production's own release {manifest.version} is another one"
    newest = max(int(r["version"]) for r in known)
    return "" if newest == manifest.version else f"there is a newer one: release {newest}"
