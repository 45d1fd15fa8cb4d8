"""Rules on how the codes of a file are meant: encoding, range, matrix, and pictures that were changed before
recording.
"""

from collections.abc import Iterator

import numpy as np

from aquin.charts.identify import identify
from aquin.charts.layout import layout
from aquin.colour.levels import levels_of
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.measure.survey import AT, Survey
from aquin.production.audit.case import Case, at, file_code, most
from aquin.production.audit.finding import Finding, Fix
from aquin.production.records import Camera, Shot

SHAPE = (1, 50, 99)
"""Percentiles by which two recordings' codes are compared."""

FAR = 3.0
"""Stops from the encoding's grey at which the cards of a camera are doubted."""

TOP = 10.5
"""Stops over grey beyond which no recording is believed."""

ALIKE = 75.0
"""10-bit codes: mean distance of those percentiles within which recordings of one camera and setup lie alike."""


def encoding_tag(case: Case) -> Iterator[Finding]:
    """A recording that is tagged unlike its camera's others, though its codes lie as theirs do."""
    for shot in case.shots:
        own, usual = shot.encoding or _said(case, shot) or case.encoding(shot), case.how[shot.id].encoding
        if shot.floating or not own or not usual or own == usual:
            continue
        survey, others = case.surveys.get(shot.id), _others(case, shot)
        evidence = [("tagged as", own), (f"{case.camera(shot)}'s others", usual)]
        sure = 0.7
        if survey is not None and others:
            apart = _apart(survey, others)
            evidence += [
                ("its codes (1, 50, 99 %)", _codes(survey)),
                ("codes of its siblings", _codes_of(others)),
                (f"its middle as {own}", _middle(case, survey, own)),
                (f"its middle as {usual}", _middle(case, survey, usual)),
                (
                    "middle of its siblings",
                    f"{np.median([o.stops[AT[50]] for o in others]):+z.2f} st over grey",
                ),
            ]
            sure = 0.95 if apart < ALIKE else 0.75
        yield Finding(
            "encoding",
            "error",
            sure,
            f"It is tagged {own}, but looks like {usual}, as the camera's others are",
            (shot.id,),
            evidence=tuple(evidence),
            advice="Look at it beside a sibling under both encodings.",
            fix=Fix(
                f"use {usual}, the camera's encoding",
                (("shot", shot.id, {"encoding": "", "said_encoding": ""}),),
            ),
        )


def range_tag(case: Case) -> Iterator[Finding]:
    """Range flags unlike the camera's others, or that the codes speak against."""
    for shot in case.shots:
        survey = case.surveys.get(shot.id)
        if survey is None or shot.floating or shot.range:
            continue
        flag, usual = case.range(shot), case.how[shot.id].range
        low, high = (file_code(survey.luma[AT[p]], usual) for p in (0.01, 99.99))
        inside = low >= 58 and high <= 946
        evidence = (
            ("flag in the file", flag),
            (f"{case.camera(shot)}'s others", usual),
            ("codes of luma in the file", f"{low:.0f} to {high:.0f} of 1023"),
            ("legal codes", "64 to 940"),
        )
        if flag != usual:
            fits = inside if flag == "full" else not inside
            sure = 0.95 if fits else 0.7
            yield Finding(
                "range",
                "error",
                sure,
                f"It is flagged {flag} range; its codes are {usual}, as the camera's others are",
                (shot.id,),
                evidence=evidence,
                advice="Compare its blacks with a sibling's.",
                fix=Fix(f"read it as {usual} range", (("shot", shot.id, {"range": usual}),)),
            )
            continue
        low, high = (file_code(survey.luma[AT[p]], flag) for p in (1, 99))
        if flag == "legal" and shot.codec and (low < 44 or high > 975):
            yield Finding(
                "range",
                "warning",
                0.6,
                "It is flagged legal range, but more than 1 % of it lies beyond legal codes",
                (shot.id,),
                evidence=evidence,
                advice="Read it as full range and look at black and white.",
                fix=Fix("read it as full range", (("shot", shot.id, {"range": "full"}),)),
            )


def matrix_tag(case: Case) -> Iterator[Finding]:
    """A YCbCr matrix unlike the camera's others, or one of standard definition on a larger picture."""
    for camera in case.production.all(Camera):
        shots = [
            s for s in case.shots if s.camera_id == camera.id and s.codec and s.file_matrix not in ("", "rgb")
        ]
        usual = most(s.file_matrix for s in shots)
        for shot in shots:
            odd = shot.file_matrix != usual
            small = shot.file_matrix == "bt601" and shot.height > 576
            if shot.matrix or not (odd or small):
                continue
            want = usual if odd else "bt709"
            yield Finding(
                "matrix",
                "warning",
                0.8 if odd else 0.5,
                f"Its YCbCr matrix is {shot.file_matrix}"
                + (f", the camera's others have {usual}" if odd else " on a large picture"),
                (shot.id,),
                evidence=(
                    ("matrix", f"{shot.file_matrix} ({shot.matrix_from})"),
                    ("others", usual),
                    ("size", f"{shot.width} x {shot.height}"),
                ),
                advice="With the wrong matrix greens and reds shift; compare with a sibling.",
                fix=Fix(f"read it with {want}", (("shot", shot.id, {"matrix": want}),)),
            )


def baked(case: Case) -> Iterator[Finding]:
    """A viewing LUT in the recording: far more contrast and colour than its siblings, and codes that its curve can't
    give.
    """
    for shot in case.shots:
        survey = case.surveys.get(shot.id)
        encoding = case.how[shot.id].encoding
        if survey is None or shot.floating or case.kind_of_encoding(encoding) != "log":
            continue
        black = _black(case, encoding)
        lowest = survey.luma[AT[0.1]]
        others = [case.surveys[s.id] for s in case.siblings(shot)]
        beyond = black - lowest
        if len(others) >= 2:
            span = _span(survey) / max(float(np.median([_span(o) for o in others])), 1e-6)
            colour = survey.colourful / max(float(np.median([o.colourful for o in others])), 1e-6)
            reach = max(
                survey.luma[AT[99.9]] - max(o.luma[AT[99.9]] for o in others),
                min(o.luma[AT[0.1]] for o in others) - lowest,
            )
            if span > 1.25 and colour > 1.25 and reach > 0.04:
                yield _baked(
                    shot,
                    min(0.6 + 0.5 * (span - 1) + (0.1 if beyond > 0.01 else 0), 0.97),
                    (
                        ("contrast against siblings", f"{span:.2f} times"),
                        ("colour against siblings", f"{colour:.2f} times"),
                        ("darkest codes", f"{1023 * lowest:.0f}; the curve's black is {1023 * black:.0f}"),
                        (
                            "brightest codes",
                            f"{at(survey, 99.9):.0f}; siblings to {max(at(o, 99.9) for o in others):.0f}",
                        ),
                    ),
                )
        elif survey.below > 0.02:
            yield _baked(
                shot,
                0.55,
                (
                    ("below the curve's black", f"{100 * survey.below:.1f} % of the picture"),
                    ("darkest codes", f"{1023 * lowest:.0f}; the curve's black is {1023 * black:.0f}"),
                ),
            )


def _baked(shot: Shot, sure: float, evidence: tuple[tuple[str, str], ...]) -> Finding:
    return Finding(
        "baked picture",
        "error",
        sure,
        "A viewing LUT seems to be baked in: its codes are no camera log",
        (shot.id,),
        evidence=evidence,
        advice=(
            "Ask for the recording without the LUT. Settling brings it near to its camera's other shots of the setup, "
            "by the same points; look at it."
        ),
    )


def steps(case: Case) -> Iterator[Finding]:
    """Neutral steps of charts that are not straight under the encoding: it is not the one the camera recorded."""
    for (camera_id, setup_id), shots in case.together.items():
        for shot in shots:
            chart = case.charts.get(shot.id)
            encoding = case.encoding(shot)
            if chart is None or not encoding or shot.floating or case.how[shot.id].encoding != encoding:
                continue
            if abs(chart.slope - 1) < 0.1 and chart.bend < 0.12:
                continue
            shown = case.kind_of_encoding(encoding)
            what = "steeper" if chart.slope > 1 else "flatter"
            guess = ""
            if shown == "log" and chart.slope > 1.15:
                guess = "; a display-referred picture tagged as log looks like this"
            elif shown != "log" and chart.slope < 0.8:
                guess = "; a log picture tagged as display-referred looks like this"
            words, better = _explained(case, shot)
            fix = Fix(f"read it as {better}", (("shot", shot.id, {"encoding": better}),)) if better else None
            yield Finding(
                "encoding",
                "error",
                min(0.5 + 2 * abs(chart.slope - 1) + chart.bend, 0.95),
                f"The chart's grey steps are {what} than {encoding} gives{guess}",
                (shot.id,),
                camera_id,
                setup_id,
                evidence=(
                    ("slope of the steps", f"{chart.slope:.2f} (1 is right)"),
                    ("bend", f"{chart.bend:.2f} stop rms"),
                    ("what explains its chart", words),
                ),
                advice="Compare encodings on this chart in Charts, or profile the camera.",
                fix=fix,
            )


def _explained(case: Case, shot: Shot) -> tuple[str, str]:
    """Which encoding explains a take's chart, in words, and its name where it surely does."""
    held = case.measured.get(shot.id, {}).get("chart") or {}
    card = layout()
    signal = np.array(held.get("signal", ()), np.float64)
    if signal.shape != (len(card.patches), 3):
        return "unknown", ""
    try:
        usable = (np.array(held["clipped"]) < 0.01) & np.isfinite(signal).all(axis=1)
        found = identify(case.config, signal, usable, card)
    except AquinError as error:
        return error.what, ""
    sure = not found.none_fits and found.confidence > 0.6 and found.ranking[0].encoding != case.encoding(shot)
    return found.verdict, found.ranking[0].encoding if sure else ""


def impossible(case: Case) -> Iterator[Finding]:
    """All of a camera's log recordings lie below their curve's black: the camera's encoding is wrong, or the range."""
    for camera in case.production.all(Camera):
        if case.kind_of_encoding(camera.encoding) != "log":
            continue
        shots = [
            s for s in case.shots if s.camera_id == camera.id and s.id in case.surveys and not s.floating
        ]
        bad = [s for s in shots if case.surveys[s.id].below > 0.005]
        if len(shots) >= 3 and len(bad) > 0.5 * len(shots):
            share = float(np.median([case.surveys[s.id].below for s in bad]))
            yield Finding(
                "encoding",
                "error",
                0.8,
                f"{camera.name}: codes lie below the black of {camera.encoding}",
                camera=camera.id,
                evidence=(
                    ("recordings concerned", f"{len(bad)} of {len(shots)}"),
                    ("below black", f"{100 * share:.1f} % of the picture"),
                    ("black of the encoding", f"code {1023 * _black(case, camera.encoding):.0f}"),
                ),
                advice="Check the encoding and the range of this camera in Plan.",
            )


def _said(case: Case, shot: Shot) -> str:
    """The encoding that the file itself names, where the configuration knows it as a camera's."""
    name = case.config.name_of(shot.said_encoding)
    return name if case.kind_of_encoding(name) == "log" else ""


def grey_target(case: Case) -> Iterator[Finding]:
    """A camera whose cards all lie far from where their encoding puts grey."""
    for camera in case.production.all(Camera):
        if not camera.encoding:
            continue
        shots = [s for s in case.shots if s.camera_id == camera.id and s.kind != "series"]
        greys = [case.greys[s.id] for s in shots if s.id in case.greys and s.id not in case.altered]
        if len(greys) >= 2 and abs(middle := float(np.median(greys))) > FAR:
            yield Finding(
                "encoding",
                "warning",
                min(0.4 + 0.1 * (abs(middle) - FAR), 0.7),
                f"{camera.name}: grey cards lie {middle:+z.1f} stops from where {camera.encoding} puts grey",
                camera=camera.id,
                evidence=(
                    ("cards and charts", str(len(greys))),
                    ("their grey", ", ".join(f"{g:+z.1f} st" for g in greys[:6])),
                ),
                advice="Either the camera was exposed that far off throughout, or it records with another curve.",
            )


def above_ceiling(case: Case) -> Iterator[Finding]:
    """A camera whose brightest codes mean more light than any recording holds: its curve is too steep for these
    codes.
    """
    for camera in case.production.all(Camera):
        if case.kind_of_encoding(camera.encoding) != "log":
            continue
        shots = [
            s for s in case.shots if s.camera_id == camera.id and s.id in case.surveys and not s.floating
        ]
        tops = [case.surveys[s.id].stops[AT[99.99]] for s in shots if s.id not in case.altered]
        if len(tops) >= 3 and sum(t > TOP for t in tops) > 0.3 * len(tops):
            yield Finding(
                "encoding",
                "warning",
                0.55,
                (
                    f"{camera.name}: its brightest codes mean {max(tops):+z.1f} stops over grey in "
                    f"{camera.encoding}"
                ),
                camera=camera.id,
                evidence=(
                    ("recordings beyond", f"{sum(t > TOP for t in tops)} of {len(tops)}"),
                    ("believable", f"up to {TOP:+z.0f} st over grey"),
                ),
                advice="Check the encoding of this camera in Plan: a curve that is too steep does this.",
            )


def _others(case: Case, shot: Shot) -> list[Survey]:
    return [case.surveys[s.id] for s in case.siblings(shot)]


def _apart(survey: Survey, others: list[Survey]) -> float:
    return float(np.mean([abs(at(survey, p) - np.median([at(o, p) for o in others])) for p in SHAPE]))


def _codes(survey: Survey) -> str:
    return ", ".join(f"{at(survey, p):.0f}" for p in SHAPE)


def _codes_of(others: list[Survey]) -> str:
    return ", ".join(f"{np.median([at(o, p) for o in others]):.0f}" for p in SHAPE)


def _span(survey: Survey) -> float:
    return survey.luma[AT[99]] - survey.luma[AT[1]]


def _middle(case: Case, survey: Survey, encoding: str) -> str:
    """The median of luma, taken for neutral, in stops over grey under an encoding."""
    try:
        neutral = np.full((1, 3), survey.luma[AT[50]], np.float32)
        light = float(case.config.to_linear(encoding)(neutral)[0] @ AP1_LUMA)
    except AquinError:
        return "unknown"
    return f"{np.log2(max(light, 1e-4) / 0.18):+z.2f} st over grey"


def _black(case: Case, encoding: str) -> float:
    return levels_of(case.config, encoding).black.signal / 100


RULES = (
    encoding_tag,
    range_tag,
    matrix_tag,
    baked,
    steps,
    impossible,
    grey_target,
    above_ceiling,
)
