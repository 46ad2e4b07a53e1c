"""A simulated lens for the tests, after published formulas, and charts seen through it. It shares nothing with the program."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class TestLens:
    """Distortion r·(a·r³ + b·r² + c·r + 1 − a − b − c) (H. Dersch's model, r = 1 at half the shorter side), lateral aberration
    r·(1 + v) for red and blue, falloff 1 + k1·r² + k2·r⁴ + k3·r⁶ (r = 1 in the corner)."""

    __test__ = False
    a: float = 0.0
    b: float = 0.0
    c: float = 0.0
    red: float = 0.0
    blue: float = 0.0
    falloff: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def xml(self, camera: str, lens: str) -> str:
        """The same lens as an entry of a lens database (lensfun's published format)."""
        k1, k2, k3 = self.falloff
        return f"""<lensdatabase version="1">
          <mount><name>Test mount</name></mount>
          <camera><maker>Irvane</maker><model>{camera}</model><mount>Test mount</mount><cropfactor>1.0</cropfactor></camera>
          <lens><maker>Irvane</maker><model>{lens}</model><mount>Test mount</mount><cropfactor>1.0</cropfactor>
            <focal value="35"/><aperture min="2" max="16"/>
            <calibration>
              <distortion model="ptlens" focal="35" a="{self.a}" b="{self.b}" c="{self.c}"/>
              <tca model="poly3" focal="35" vr="{1 + self.red}" vb="{1 + self.blue}"/>
              <vignetting model="pa" focal="35" aperture="4" distance="10" k1="{k1}" k2="{k2}" k3="{k3}"/>
              <vignetting model="pa" focal="35" aperture="4" distance="1000" k1="{k1}" k2="{k2}" k3="{k3}"/>
            </calibration></lens></lensdatabase>"""

    def seen(self, places: np.ndarray, extent: tuple[int, int], colour: int) -> np.ndarray:
        """Where ideal places (N×2) lie on the sensor, as large in the middle as they are."""
        h, w = extent
        unit = min(h, w) / 2
        about = (places - (w / 2, h / 2)) / unit
        middle = 1 - self.a - self.b - self.c
        # the picture is as large in the middle as it would be without the lens: ideal distances count in those units
        r = np.hypot(*about.T) / 1.0
        factor = (self.a * r**3 + self.b * r**2 + self.c * r + middle) / middle
        lateral = 1 + (self.red, 0.0, self.blue)[colour]
        return about * (factor * lateral)[:, None] * unit + (w / 2, h / 2)

    def light(self, places: np.ndarray, extent: tuple[int, int]) -> np.ndarray:
        """Share of the light that reaches places of the sensor."""
        h, w = extent
        r2 = np.sum((places - (w / 2, h / 2)) ** 2, axis=1) / ((h * h + w * w) / 4)
        k1, k2, k3 = self.falloff
        return 1 + k1 * r2 + k2 * r2**2 + k3 * r2**3


def dots(extent: tuple[int, int], across: int = 12, margin: float = 0.04) -> np.ndarray:
    """Ideal places of a chart of dots: N×2."""
    h, w = extent
    down = round(across * h / w)
    x, y = np.meshgrid(
        np.linspace(margin * w, (1 - margin) * w, across), np.linspace(margin * h, (1 - margin) * h, down)
    )
    return np.column_stack([x.ravel(), y.ravel()])


def chart(extent: tuple[int, int], places: np.ndarray, lens: TestLens, width: float = 2.2) -> np.ndarray:
    """The chart as the lens paints it: dark dots on grey, float32 H×W×3 (camera-linear, balanced)."""
    h, w = extent
    y, x = np.mgrid[0:h, 0:w]
    centres = np.column_stack([x.ravel() + 0.5, y.ravel() + 0.5])
    out = np.repeat((0.5 * lens.light(centres, extent)).reshape(h, w, 1), 3, axis=2)
    reach = int(np.ceil(5 * width))
    for colour in range(3):
        for px, py in lens.seen(places, extent, colour):
            rows = slice(max(0, int(py) - reach), min(h, int(py) + reach + 1))
            columns = slice(max(0, int(px) - reach), min(w, int(px) + reach + 1))
            dy, dx = np.mgrid[rows, columns]
            spot = np.exp(-((dx + 0.5 - px) ** 2 + (dy + 0.5 - py) ** 2) / (2 * width**2))
            out[rows, columns, colour] *= 1 - 0.9 * spot
    return out.astype(np.float32)


def centres(plane: np.ndarray, near: np.ndarray, reach: int = 9) -> np.ndarray:
    """Centroids of the dark dots near some places (N×2); NaN where none is."""
    found = np.full((len(near), 2), np.nan)
    h, w = plane.shape
    for k, (px, py) in enumerate(near):
        x, y = int(px), int(py)
        if not (reach <= x < w - reach and reach <= y < h - reach):
            continue
        part = plane[y - reach : y + reach + 1, x - reach : x + reach + 1].astype(float)
        weight = np.maximum(np.median(np.r_[part[0], part[-1], part[:, 0], part[:, -1]]) * 0.97 - part, 0)
        dy, dx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
        if weight.sum() > 1e-6:
            found[k] = (
                x + 0.5 + (weight * dx).sum() / weight.sum(),
                y + 0.5 + (weight * dy).sum() / weight.sum(),
            )
    return found
