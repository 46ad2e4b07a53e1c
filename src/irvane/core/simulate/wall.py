"""The shelf wall, photographed from one place by a lens that is turned: positions of a panorama."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.simulate.maps import lit

#: Horizontal angle that the wall's map holds, and that the lens sees (85 mm before 36 mm), in degrees.
_MAP_ANGLE, _LENS_ANGLE, FOCAL = 58.0, 23.92, 85.0
#: How far the lens is turned from position to position, to the right and down, in degrees.
_ACROSS, _DOWN = 15.0, 10.6
ROWS, COLUMNS = 2, 3


def _focal(width: int, degrees: float) -> float:
    return width / 2 / float(np.tan(np.radians(degrees) / 2))


def direction(row: int, column: int) -> tuple[float, float]:
    """Where a position looks: degrees to the right and down."""
    return (column - (COLUMNS - 1) / 2) * _ACROSS, (row - (ROWS - 1) / 2) * _DOWN


def homography(wall: tuple[int, int], frame: tuple[int, int], right: float, down: float) -> np.ndarray:
    """3×3: places (x, y) of a frame on the wall's map; both are height and width (pinhole model, rotation
    about the lens)."""
    h, w = frame
    f = _focal(w, _LENS_ANGLE)
    lens = np.array([[f, 0, (w - 1) / 2], [0, f, (h - 1) / 2], [0, 0, 1]])
    f = _focal(wall[1], _MAP_ANGLE)
    whole = np.array([[f, 0, (wall[1] - 1) / 2], [0, f, (wall[0] - 1) / 2], [0, 0, 1]])
    a, b = np.radians(right), np.radians(-down)
    turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    tilt = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    return whole @ turn @ tilt @ np.linalg.inv(lens)


def position(row: int, column: int, frame: tuple[int, int]) -> np.ndarray:
    """Light that a position of the lens sees: float32 H×W×3, linear BT.2020."""
    wall = lit("shelf")
    matrix = homography(wall.shape[:2], frame, *direction(row, column))
    seen = cv2.warpPerspective(
        wall,
        matrix,
        frame[::-1],
        flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return np.maximum(seen, 0)
