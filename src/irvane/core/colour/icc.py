"""ICC profiles of the output spaces: small version 4 matrix profiles with parametric curves (ICC.1:2010)."""

from __future__ import annotations

import struct
from functools import lru_cache

import numpy as np

from irvane.core.colour.spaces import D50, SPACES, adaptation, to_xyz

#: The illuminant of the connection space, exactly as the standard writes it (ICC.1:2010, 7.2.16).
_ILLUMINANT = bytes.fromhex("0000f6d6 00010000 0000d32d")


def _s15(value: float) -> bytes:
    return struct.pack(">i", round(value * 65536))


def _xyz(values: np.ndarray) -> bytes:
    return b"XYZ \0\0\0\0" + b"".join(_s15(float(v)) for v in values)


def _text(text: str) -> bytes:
    coded = text.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(coded), 28) + coded


def _curve(parameters: tuple[float, ...]) -> bytes:
    return b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + b"".join(_s15(v) for v in parameters)


def _assemble(tags: list[tuple[bytes, bytes]]) -> bytes:
    """Header, tag table and data; equal data are stored once."""
    offset = 128 + 4 + 12 * len(tags)
    table, body = b"", b""
    places: dict[bytes, tuple[int, int]] = {}
    for name, data in tags:
        if data not in places:
            places[data] = (offset + len(body), len(data))
            body += data + b"\0" * (-len(data) % 4)
        table += name + struct.pack(">II", *places[data])
    size = offset + len(body)
    header = struct.pack(">I4sI4s4s4s", size, b"\0" * 4, 0x04300000, b"mntr", b"RGB ", b"XYZ ")
    header += (
        struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + b"\0" * 24 + struct.pack(">I", 0) + _ILLUMINANT
    )
    return header.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + body


@lru_cache(maxsize=32)
def profile(key: str, linear: bool = False) -> bytes:
    """ICC profile of an output space, or of its linear variant.

    Parameters
    ----------
    key : key in :data:`irvane.core.colour.spaces.SPACES`.
    linear : with a straight curve instead of the space's own.
    """
    space = SPACES[key]
    adapt = adaptation(space.white, D50)
    colorants = adapt @ to_xyz(space)
    curve = _curve((1.0, 1.0, 0.0, 1.0, 0.0) if linear else space.curve)
    name = f"{space.name} (linear, Irvane)" if linear else f"{space.name} (Irvane)"
    return _assemble(
        [
            (b"desc", _text(name)),
            (b"cprt", _text("No rights reserved (CC0)")),
            (b"wtpt", b"XYZ \0\0\0\0" + _ILLUMINANT),
            (b"chad", b"sf32\0\0\0\0" + b"".join(_s15(float(v)) for v in adapt.ravel())),
            (b"rXYZ", _xyz(colorants[:, 0])),
            (b"gXYZ", _xyz(colorants[:, 1])),
            (b"bXYZ", _xyz(colorants[:, 2])),
            (b"rTRC", curve),
            (b"gTRC", curve),
            (b"bTRC", curve),
        ]
    )
