"""Soft proof against LittleCMS called the long way round: to the medium, and back to the screen."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageCms
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColorSpace

from irvane.core.colour.icc import profile
from irvane.core.colour.soft_proof import SoftProof, proofed, read_medium
from irvane.core.errors import ReadError


@pytest.fixture
def medium(tmp_path: Path) -> Path:
    path = tmp_path / "medium.icc"
    path.write_bytes(profile("p3"))
    return path


def test_colours_that_the_medium_lacks_are_shown_as_it_has_them(medium: Path) -> None:
    data, name = read_medium(medium)
    rng = np.random.default_rng(3)
    pixels = rng.integers(0, 256, (40, 60, 4), np.uint8)
    seen = proofed(pixels, "rec2020", SoftProof(data, name, black=False))
    assert np.array_equal(seen[..., 3], pixels[..., 3]) and seen.shape == pixels.shape
    # the long way round: to the medium, and from there to the screen, by the library itself in 8 bits
    wide, screen, there = (
        ImageCms.ImageCmsProfile(io.BytesIO(p)) for p in (profile("rec2020"), profile("srgb"), data)
    )
    intent = ImageCms.Intent.RELATIVE_COLORIMETRIC
    image = ImageCms.profileToProfile(Image.fromarray(pixels[..., :3]), wide, there, intent)
    image = ImageCms.profileToProfile(image, there, screen, intent)
    off = np.abs(seen[..., :3].astype(int) - np.asarray(image))
    assert np.percentile(off, 95) <= 3 and off.mean() < 1.0, "a grid is interpolated"
    inside = np.full((4, 4, 3), 120, np.uint8)
    assert np.abs(proofed(inside, "srgb", SoftProof(data, name)).astype(int) - 120).max() <= 1


def test_a_medium_of_few_colours_takes_them_away(tmp_path: Path) -> None:
    near = QColorSpace(
        QPointF(0.3127, 0.329),
        QPointF(0.40, 0.33),
        QPointF(0.31, 0.38),
        QPointF(0.27, 0.27),
        QColorSpace.TransferFunction.SRgb,
    )
    pure = np.array([[[255, 0, 0], [0, 255, 0], [0, 0, 255], [128, 128, 128]]], np.uint8)
    seen = proofed(pure, "srgb", SoftProof(near.iccProfile().data(), "near grey"))
    assert (np.ptp(seen[0, :3].astype(int), axis=1) < 160).all()
    assert np.abs(seen[0, 3].astype(int) - 128).max() <= 2


def test_what_is_no_medium_is_refused(tmp_path: Path) -> None:
    for name, data in (("a.icc", b""), ("b.icc", b"no profile" * 40)):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(ReadError):
            read_medium(tmp_path / name)
    with pytest.raises(ReadError, match="cannot be read"):
        read_medium(tmp_path / "none.icc")
