"""How much every place of a picture stands out from its background, told without learning.

Places are joined into small even pieces; what is connected to the border of the frame through places like
itself is background, whatever its colour, and what differs from the background near by stands out; both are
brought together so that like neighbours agree (Zhu, Liang, Wei & Sun 2014, "Saliency optimization from robust
background detection"). Pieces are flooded from a grid along the gradient (after Machairas and others 2015,
"Waterpixels").
"""

from __future__ import annotations

import cv2
import numpy as np
import scipy

#: Pixels of a piece's side; how strongly pieces stay even.
_SIDE, _EVEN = 15, 6.0
#: Reach of likeness in CIE L*a*b* along a way, of likeness between neighbours, of connection to the border,
#: and of nearness in shares of the frame; smallest bond of neighbours.
_ALONG, _ALIKE, _BOUND, _NEAR, _BOND = 10.0, 7.0, 1.0, 0.25, 0.1


def pieces_of(lab: np.ndarray) -> np.ndarray:
    """Number of the piece that each pixel belongs to: int32 H×W from 0, none left out.

    Parameters
    ----------
    lab : float32 H×W×3.
    """
    h, w = lab.shape[:2]
    rows, columns = max(2, round(h / _SIDE)), max(2, round(w / _SIDE))
    smooth = cv2.GaussianBlur(lab, (0, 0), 1.0)
    steep = (
        np.sqrt(sum(scipy.ndimage.sobel(smooth, axis=k).astype(np.float32) ** 2 for k in (0, 1)).sum(axis=2))
        / 8
    )
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    cy, cx = (y + 0.5) * rows / h % 1 - 0.5, (x + 0.5) * columns / w % 1 - 0.5
    height = np.minimum(steep, 40) + _EVEN * 2 * np.maximum(np.abs(cy), np.abs(cx))
    number = np.minimum(y * rows / h, rows - 1).astype(np.int32) * columns + np.minimum(
        x * columns / w, columns - 1
    ).astype(np.int32)
    inner = (np.abs(cy) < 0.2) & (np.abs(cx) < 0.2)
    markers = np.where(inner, number + 1, 0).astype(np.int32)
    code = np.clip(height * 4, 0, 255).astype(np.uint8)
    flooded = scipy.ndimage.watershed_ift(code, markers)
    return np.asarray(flooded - 1, np.int32)


def _mean(values: np.ndarray, pieces: np.ndarray, count: int, sizes: np.ndarray) -> np.ndarray:
    return np.stack([np.bincount(pieces, v, count) / sizes for v in values.reshape(-1, pieces.size)], axis=1)


def saliency(lab: np.ndarray) -> np.ndarray:
    """0 background … 1 what stands out: float32 H×W. How high it rises tells nothing: it is brought to that
    range.

    Parameters
    ----------
    lab : CIE L*a*b* by OpenCV's 8 bits (0…255 each), float32 H×W×3.
    """
    h, w = lab.shape[:2]
    pieces = pieces_of(lab)
    _, flat = np.unique(pieces, return_inverse=True)
    flat = flat.reshape(-1)
    pieces, count = flat.reshape(h, w), int(flat.max()) + 1
    sizes = np.bincount(flat, minlength=count).astype(float)
    colour = _mean(lab.transpose(2, 0, 1), flat, count, sizes)
    y, x = np.mgrid[0:h, 0:w] / max(h, w)
    place = _mean(np.stack([y, x]), flat, count, sizes)
    rim = np.concatenate([pieces[0], pieces[-1], pieces[:, 0], pieces[:, -1]])
    at_border = np.bincount(rim, minlength=count) > 0
    apart = np.linalg.norm(colour[:, None] - colour[None], axis=2)
    bonds = _bonds(pieces, count)
    outer = np.flatnonzero(at_border)
    ways = bonds.copy()
    ways[np.ix_(outer, outer)] = True
    np.fill_diagonal(ways, False)
    least = np.where(bonds, apart, np.inf).min(axis=1)
    usual = float(np.mean(least[np.isfinite(least)])) if np.isfinite(least).any() else 0.0
    steps = np.where(ways, np.maximum(apart - usual, 0) + 1e-4, 0)
    far = scipy.sparse.csgraph.shortest_path(scipy.sparse.csr_matrix(steps), directed=False)
    alike = np.exp(-(far**2) / (2 * _ALONG**2))
    area, border = alike @ (sizes / sizes.mean()), alike @ (at_border * 1.0)
    bound = border / np.sqrt(area)
    ground = 1 - np.exp(-(bound**2) / (2 * _BOUND**2))
    nearness = np.exp(-(((place[:, None] - place[None]) ** 2).sum(axis=2)) / (2 * _NEAR**2))
    contrast = (apart * nearness) @ (ground * sizes / sizes.mean())
    contrast = contrast / max(float(contrast.max()), 1e-9)
    bond = np.where(
        bonds | (bonds.astype(float) @ bonds > 0), np.exp(-(apart**2) / (2 * _ALIKE**2)) + _BOND, 0
    )
    np.fill_diagonal(bond, 0)
    matrix = np.diag(bond.sum(axis=1)) - bond + np.diag(ground + contrast + 1e-6)
    found = scipy.sparse.linalg.spsolve(scipy.sparse.csc_matrix(matrix), contrast)
    low, high = np.quantile(found[flat], (0.02, 0.98))
    return np.asarray(
        np.clip((found - low) / max(float(high - low), 1e-9), 0, 1)[flat].reshape(h, w), np.float32
    )


def _bonds(pieces: np.ndarray, count: int) -> np.ndarray:
    """Which pieces touch: bool count×count."""
    bonds = np.zeros((count, count), bool)
    for a, b in ((pieces[:-1], pieces[1:]), (pieces[:, :-1], pieces[:, 1:])):
        bonds[a, b] = bonds[b, a] = True
    np.fill_diagonal(bonds, False)
    return bonds
