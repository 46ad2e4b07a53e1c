"""Corrections of a lens as opcodes of a DNG (DNG specification 1.7): for pixels that they are not in."""

from __future__ import annotations

import struct

import numpy as np

from irvane.core.pixels.radial import Radial, at

_WARP, _VIGNETTE = 1, 3
_VERSION, _OPTIONAL = 0x01030000, 1


def _listed(*operations: tuple[int, bytes]) -> bytes:
    parts = [struct.pack(">I", len(operations))]
    parts += [struct.pack(">IIII", code, _VERSION, _OPTIONAL, len(body)) + body for code, body in operations]
    return b"".join(parts)


def nothing() -> bytes:
    """A list with a warp that changes nothing."""
    return _listed(
        (_WARP, struct.pack(">I", 1) + struct.pack(">8d", 1, 0, 0, 0, 0, 0, 0.5, 0.5)),
    )


def opcodes_of(
    radial: Radial, gains: np.ndarray | None, centre: tuple[float, float], extent: tuple[int, int]
) -> tuple[bytes, float]:
    """An opcode list for a warp and a gain, and how far the polynomials of the format miss the warp (pixels,
    at most).

    Parameters
    ----------
    radial : from corrected places to those in the frame. gains : factors over DISTANCES, None for none.
    centre : x, y of the optical centre, pixels. extent : height and width of the frame.
    """
    h, w = extent
    unit = np.hypot(h, w) / 2
    far = max(np.hypot(centre[0] - x, centre[1] - y) for x in (0, w) for y in (0, h)) / unit
    r = np.linspace(0, 1, 257)
    place = struct.pack(">2d", centre[0] / w, centre[1] / h)
    operations, off = [], 0.0
    if gains is not None:
        powers = np.stack([r ** (2 * k) for k in range(1, 6)], axis=1)
        terms, *_ = np.linalg.lstsq(powers, at(gains, r * far) - 1, rcond=None)
        operations.append((_VIGNETTE, struct.pack(">5d", *terms) + place))
    if not radial.is_nothing:
        powers = np.stack([r ** (2 * k) for k in range(4)], axis=1)
        body = struct.pack(">I", 3)
        for ratio in radial.ratios:
            wanted = at(ratio, r * far)
            # what counts is how far places lie off, not ratios: the middle hardly moves
            terms, *_ = np.linalg.lstsq(powers * r[:, None], wanted * r, rcond=None)
            off = max(off, float(np.abs(powers @ terms - wanted).max(where=r > 0, initial=0) * far * unit))
            along = (radial.tangential[0] * far, radial.tangential[1] * far)
            body += struct.pack(">6d", *terms, *along)
        operations.append((_WARP, body + place))
    return (_listed(*operations) if operations else b""), off
