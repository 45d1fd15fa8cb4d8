"""Photographs seen from another side: planes turned in perspective, with the places that both views show."""

import cv2
import numpy as np

from aquin.colour import acescct
from aquin.colour.grade import Balance
from aquin.measure.ledger import Evidence
from photographs import photographs

MATRIX = np.array([[0.93, 0.05, 0.02], [0.02, 1.02, -0.04], [-0.01, 0.03, 0.98]])
FOCAL = 1.2
"""Of the picture's width."""


def by_another_camera(scene: np.ndarray, seed: int = 1) -> np.ndarray:
    """0.4 stop lighter, 18 mired warmer, other spectral responses, two codes of noise of a 10-bit log recording."""
    seen = np.maximum((scene * Balance.from_shift(0.4, 18, 0.002).factors) @ MATRIX.T, 0)
    noise = np.random.default_rng(seed).normal(0, 2 / 1023, seen.shape)
    return np.asarray(acescct.decode(acescct.encode(seen) + noise), np.float32)


def turned(width: int, height: int, degrees: float, tilt: float = 5.0) -> np.ndarray:
    """3x3 homography of a plane that is turned about its upright axis, and tilted, before a pinhole camera."""
    f = FOCAL * width
    a, b = np.radians(degrees), np.radians(tilt)
    upright = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    level = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    rotation = upright @ level
    camera = np.array([[f, 0, width / 2], [0, f, height / 2], [0, 0, 1.0]])
    middle = np.array([[1, 0, -width / 2], [0, 1, -height / 2], [0, 0, 1.0]])
    found = camera @ np.column_stack([rotation[:, 0], rotation[:, 1], [0, 0, f]]) @ middle
    return np.asarray(found / found[2, 2])


def two_views(name: str, degrees: float, width: int = 640) -> tuple[np.ndarray, np.ndarray, Evidence]:
    """A photograph from the front, the same turned and filmed by another camera, and 1200 true pairs of places."""
    whole = photographs()[name]
    height = min(round(width * whole.shape[0] / whole.shape[1]), round(width * 2 / 3))
    scene = cv2.resize(
        whole, (width, round(width * whole.shape[0] / whole.shape[1])), interpolation=cv2.INTER_AREA
    )
    scene = np.maximum(scene[:height], 1e-4)
    way = turned(width, height, degrees)
    ground = (0.02, 0.02, 0.02)
    other = by_another_camera(
        cv2.warpPerspective(scene, way, (width, height), flags=cv2.INTER_AREA, borderValue=ground)
    )
    y, x = np.mgrid[6 : height - 6 : 5, 6 : width - 6 : 5]
    here = np.stack([x.ravel(), y.ravel()], axis=1).astype(np.float64)
    there = cv2.perspectiveTransform(here[None], way)[0]
    inside = ((there > 6) & (there < np.array([width, height]) - 7)).all(axis=1)
    few = np.random.default_rng(0).permutation(int(inside.sum()))[:1200]
    here, there = here[inside][few], there[inside][few].astype(np.float32)
    hero = cv2.blur(scene, (5, 5))[here[:, 1].astype(int), here[:, 0].astype(int)]
    own = cv2.remap(cv2.blur(other, (5, 5)), there[:, :1], there[:, 1:], cv2.INTER_LINEAR)[:, 0]
    return scene, other, Evidence(hero.astype(np.float64), own.astype(np.float64), np.zeros(len(few), bool))
