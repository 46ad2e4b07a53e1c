"""How wide edges are: the blur of every edge that stands out of the noise, without knowing what was
photographed.

Where an edge is blurred by a Gaussian of σ, blurring it further by a known amount lowers its slope by a ratio
that depends on σ alone (Zhuo & Sim 2011, "Defocus map estimation from a single image"). Both slopes are taken
after some blur here, so that noise does not count as sharpness.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from irvane.core.image import GREEN, Mosaic, NoiseModel

#: The two blurs whose slopes are compared, in pixels of the plane.
_LESS, _MORE = 0.7, 1.7
#: An edge's slope is at least so many times that of the noise, and so large a share of the light beside it.
_CLEAR, _CONTRAST = 7.0, 0.04
#: Fewer edges tell nothing of a frame; the share of them, the sharpest, that its sharpness is read from.
_FEWEST, _SHARPEST = 150, 0.4
#: Wider blur cannot be told from slopes of the scene itself.
_WIDEST = 6.0
#: Pixels beside an edge where another one makes it a line; share of its slope that counts.
_FAR, _OPPOSITE = (2.5, 4.0, 5.5), 0.3
#: Pixels at the border without edges.
_RIM = 3
#: σ of what the mean of two by two pixels adds, in pixels of the frame.
_MEAN_OF_FOUR = 0.5


@dataclass(frozen=True, eq=False)
class Edges:
    """Edges of a plane.

    Attributes
    ----------
    y, x : their places in pixels of the plane.
    sigma : blur of each, in pixels of the plane.
    across : direction across each, in which it is blurred: radians from the x axis towards y, modulo π.
    alone : is there no other one close beside it, falling as it rises? Those of thin lines and small
        lettering look sharper than they are.
    """

    y: np.ndarray
    x: np.ndarray
    sigma: np.ndarray
    across: np.ndarray
    alone: np.ndarray

    def moved(self, y: float, x: float, scale: float = 1.0) -> Edges:
        """The same in a larger picture."""
        return replace(self, y=scale * self.y + y, x=scale * self.x + x)

    def chosen(self, which: np.ndarray) -> Edges:
        """Some of them."""
        return Edges(self.y[which], self.x[which], self.sigma[which], self.across[which], self.alone[which])


def green_plane(mosaic: Mosaic) -> np.ndarray:
    """Green of a mosaic at half its size: means of the green samples of every two by two pixels; float32."""
    h, w = (side // 2 * 2 for side in mosaic.data.shape)
    green = np.tile(mosaic.cfa == GREEN, (2, 2)).astype(np.float32)  # an even period whatever the array's
    count = green[0::2, 0::2] + green[0::2, 1::2] + green[1::2, 0::2] + green[1::2, 1::2]
    reps = -(-h // green.shape[0]), -(-w // green.shape[1])
    shares = [
        np.tile(green[dy::2, dx::2] / np.maximum(count, 1), reps)[: h // 2, : w // 2]
        for dy in (0, 1)
        for dx in (0, 1)
    ]
    data = mosaic.data
    parts = [data[dy:h:2, dx:w:2] for dy in (0, 1) for dx in (0, 1)]
    plane = parts[0] * shares[0]
    for part, share in zip(parts[1:], shares[1:], strict=True):
        plane += part * share
    return plane


def _slopes(plane: np.ndarray, sigma: float) -> tuple[np.ndarray, np.ndarray]:
    soft = cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT_101)
    return (
        cv2.Scharr(soft, cv2.CV_32F, 1, 0, scale=1 / 32),
        cv2.Scharr(soft, cv2.CV_32F, 0, 1, scale=1 / 32),
    )


def _gain_of_noise(sigma: float) -> float:
    """Standard deviation of one slope of white noise of σ 1 after a blur."""
    unit = np.zeros((33, 33), np.float32)
    unit[16, 16] = 1.0
    return float(np.sqrt(np.sum(_slopes(unit, sigma)[0] ** 2)))


_NOISE = {sigma: _gain_of_noise(sigma) for sigma in (_LESS, _MORE)}


def find_edges(plane: np.ndarray, noise: np.ndarray | float) -> Edges:
    """Edges that stand out of the noise, with their blur.

    Parameters
    ----------
    plane : float32 H×W, linear light; the mean of a neighbourhood is the signal that contrast counts against.
    noise : standard deviation of a pixel of it: one value, or a plane.
    """
    gx, gy = _slopes(plane, _MORE)
    slope = np.hypot(gx, gy)
    light = cv2.GaussianBlur(plane, (0, 0), 2.0)
    least = np.maximum(np.float32(_CLEAR * _NOISE[_MORE]) * noise, _CONTRAST * np.maximum(light, 1e-4))
    # the crest of a slope: no lower than its neighbours along its direction (to the nearest of four); found
    # on the softer picture, so that noise does not choose the places where it makes the other one steep
    inner = slope[1:-1, 1:-1]
    across = (inner >= slope[1:-1, :-2]) & (inner > slope[1:-1, 2:])
    down = (inner >= slope[:-2, 1:-1]) & (inner > slope[2:, 1:-1])
    crest = np.zeros(slope.shape, bool)
    crest[1:-1, 1:-1] = np.where((np.abs(gx) >= np.abs(gy))[1:-1, 1:-1], across, down)
    crest &= slope > least
    crest[:_RIM], crest[-_RIM:], crest[:, :_RIM], crest[:, -_RIM:] = False, False, False, False
    y, x = np.nonzero(crest)
    hx, hy = _slopes(plane, _LESS)
    steep = np.hypot(hx[y, x], hy[y, x])
    level = noise[y, x] if isinstance(noise, np.ndarray) and noise.ndim else noise
    steep = np.sqrt(
        np.maximum(steep**2 - 2 * (_NOISE[_LESS] * level) ** 2, 0)
    )  # what noise adds to both directions
    ratio = steep / slope[y, x]
    # a line is narrower than an edge and loses more of its slope than any edge can
    widest = (_WIDEST**2 + _MORE**2) / (_WIDEST**2 + _LESS**2)
    good = (ratio**2 > widest) & (ratio < _MORE / _LESS)
    y, x, ratio2 = y[good], x[good], ratio[good] ** 2
    sigma = np.sqrt(np.maximum((_MORE**2 - ratio2 * _LESS**2) / (ratio2 - 1), 0.0))
    beside = _beside(gx, gy, slope, y, x)
    return Edges(y, x, sigma.astype(np.float32), np.arctan2(gy[y, x], gx[y, x]) % np.pi, beside > -_OPPOSITE)


def _beside(gx: np.ndarray, gy: np.ndarray, slope: np.ndarray, y: np.ndarray, x: np.ndarray) -> np.ndarray:
    """The least slope close beside edges, in their direction, as a share of their own: below 0 where light
    falls as it rises at them."""
    ux, uy = gx[y, x] / slope[y, x], gy[y, x] / slope[y, x]
    least = np.full(len(y), np.inf, np.float32)
    for far in (*_FAR, *(-f for f in _FAR)):
        row = np.clip(np.rint(y + far * uy).astype(int), 0, slope.shape[0] - 1)
        column = np.clip(np.rint(x + far * ux).astype(int), 0, slope.shape[1] - 1)
        least = np.minimum(least, (gx[row, column] * ux + gy[row, column] * uy) / slope[y, x])
    return least


def edges_of(mosaic: Mosaic, noise: NoiseModel) -> Edges:
    """Edges of a mosaic; places and blur in pixels of the frame (sensor orientation)."""
    plane = green_plane(mosaic)
    light = np.maximum(cv2.GaussianBlur(plane, (0, 0), 2.0), 0)
    sigma = np.sqrt((noise.gain[GREEN] * light + noise.read[GREEN] ** 2) / 2).astype(np.float32)
    sigma[light > 0.95] = 1.0  # what clips has no slope of its own
    found = find_edges(plane, sigma)
    blur = np.sqrt(np.maximum((2 * found.sigma) ** 2 - _MEAN_OF_FOUR**2, 0.0)).astype(np.float32)
    return replace(found.moved(1, 1, 2), sigma=blur)


def sharpest(edges: Edges) -> float | None:
    """Blur of the sharpest two fifths of edges (their middle), σ in pixels; None where there are too few to
    tell."""
    if len(edges.sigma) < _FEWEST:
        return None
    return float(np.quantile(edges.sigma, _SHARPEST / 2))
