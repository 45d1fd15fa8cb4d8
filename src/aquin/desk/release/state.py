"""What the Release view shows, without Qt."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.production import Shot

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.jobs.compare_releases import Compared
    from aquin.jobs.verify_release import Verified
    from aquin.jobs.what_did_they import Told
    from aquin.production import Production

FORMATS = {
    "cc": ("CDL", "A .cc a shot, all of them as .ccc, and in the edits"),
    "clf": ("CLF", "Exact, and the OpenColorIO configuration with it"),
    "cube": ("LUT of the grade", "A .cube a shot, ACEScct to ACEScct"),
    "ready": ("ready LUT", "A .cube a shot, from the camera's signal to the screen"),
}


@dataclass(frozen=True)
class Row:
    """One shot as it would be released. `why`: why it is left out; empty where it is not."""

    id: str
    name: str
    camera: str
    setup: str
    grade: str
    state: str
    agreed: str
    beyond: str
    why: str

    @property
    def note(self) -> str:
        return f"left out: {self.why}" if self.why else self.beyond


@dataclass
class ReleaseDesk:
    """`releases`: what the production has released. `open`: the folder or .zip that is looked at."""

    production: Production | None = None
    config: ColourConfig | None = None
    only: str = "all"
    formats: set[str] = field(default_factory=lambda: set(FORMATS))
    rows: tuple[Row, ...] = ()
    releases: tuple[dict[str, Any], ...] = ()
    open: Path | None = None
    verified: Verified | None = None
    told: Told | None = None
    picture: Path | None = None
    compared: Compared | None = None
    chosen: int = 0
    """Which of the changed shots is shown."""
    media: Path | None = None
    """Where the media of a release from elsewhere lie."""

    def opened(self, production: Production | None, config: ColourConfig) -> None:
        self.production, self.config = production, config
        self.rows, self.open, self.media, self.picture = (), None, None, None
        self.verified = self.told = self.compared = None
        self.refresh()

    def refresh(self) -> None:
        """What the production has released, as it is now."""
        from aquin.jobs.make_release import releases_of

        self.releases = tuple(releases_of(self.production)) if self.production is not None else ()

    @property
    def shots(self) -> list[Shot]:
        if self.production is None:
            return []
        return [s for s in self.production.all(Shot) if s.kind == "shot" and not s.trouble]

    @property
    def deliverables(self) -> list[str]:
        """Names of what the release, else the production, is made for, the first one first."""
        if self.verified is not None:
            return [str(d["name"]) for d in self.verified.manifest.about["chain"]["deliverables"]]
        if self.production is None or self.config is None:
            return []
        from aquin.production.settings import deliverables_of

        return [d.name for d in deliverables_of(self.production, self.config)]

    @property
    def going(self) -> list[Row]:
        return [r for r in self.rows if not r.why]

    def next_step(self) -> tuple[str, str]:
        if self.production is None:
            return "Open a production, or the demo", "file.open"
        if not self.releases:
            return "Hand the grade on: make the first release", "release.make"
        if self.open is not None and self.verified is None:
            return "Verify the release that is open", "release.verify"
        return "A picture from elsewhere looks wrong? See what they did", "release.picture"


def rows_of(
    production: Production, config: ColourConfig, only: str, states: dict[str, Any]
) -> tuple[Row, ...]:
    """Each shot as it would go into a release. Takes a moment. `states`: what the Board last knew, by shot id."""
    from aquin.jobs.release_contents import Wish, why_not
    from aquin.production import Camera, Setup
    from aquin.production.agreeing import agreements
    from aquin.production.looks import look_for
    from aquin.production.shoot import Shoot, shot_grade
    from aquin.release.numbers import values_of
    from aquin.release.papers import grade_words

    shoot, wish, out = Shoot(production, config), Wish(only), []
    looks: dict[str, Any] = {}
    for shot in production.all(Shot):
        if shot.kind != "shot":
            continue
        grade = shot_grade(shoot, shot)
        camera, setup = production.find(Camera, shot.camera_id), production.find(Setup, shot.setup_id)
        if shot.setup_id not in looks:
            looks[shot.setup_id] = look_for(production, config, shot.setup_id)
        look = looks[shot.setup_id]
        beyond = [b for b in (grade.beyond_lut, look.beyond_lut if look is not None else "") if b]
        state = states.get(shot.id)
        out.append(
            Row(
                shot.id,
                shot.name,
                camera.name if camera is not None else "",
                setup.name if setup is not None else "",
                grade_words(values_of(grade)),
                state.word if state is not None else "",
                ", ".join(a.words for a in agreements(production, shoot, shot)),
                "; ".join(beyond) or ("more than a CDL" if grade.beyond_cdl else ""),
                why_not(shoot, shot, wish),
            )
        )
    return tuple(out)
