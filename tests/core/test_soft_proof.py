"""Soft proof against LittleCMS called the long way round: to the medium, and back to the screen."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageCms

from irvane.core.colour.soft_proof import SoftProof, proofed, read_medium
from irvane.core.errors import ReadError
from irvane.core.files.icc import profile


@pytest.fixture
def medium(tmp_path: Path) -> Path:
    path = tmp_path / "medium.icc"
    path.write_bytes(profile("srgb"))
    return path


def test_colours_that_the_medium_lacks_are_shown_as_it_has_them(medium: Path) -> None:
    data, name = read_medium(medium)
    rng = np.random.default_rng(3)
    pixels = rng.integers(0, 256, (40, 60, 4), np.uint8)
    seen = proofed(pixels, "rec2020", SoftProof(data, name, black=False))
    assert np.array_equal(seen[..., 3], pixels[..., 3]) and seen.shape == pixels.shape
    # to the medium, and from there to a screen that is sRGB as well
    wide, narrow = (ImageCms.ImageCmsProfile(io.BytesIO(profile(key))) for key in ("rec2020", "srgb"))
    intent = ImageCms.Intent.RELATIVE_COLORIMETRIC
    there = ImageCms.profileToProfile(Image.fromarray(pixels[..., :3]), wide, narrow, intent)
    off = np.abs(seen[..., :3].astype(int) - np.asarray(there))
    assert np.percentile(off, 99) <= 2 and off.mean() < 0.3, "tables are interpolated"
    inside = np.full((4, 4, 3), 120, np.uint8)
    assert np.abs(proofed(inside, "srgb", SoftProof(data, name)).astype(int) - 120).max() <= 1


def test_what_is_no_medium_is_refused(tmp_path: Path) -> None:
    for name, data in (("a.icc", b""), ("b.icc", b"no profile" * 40)):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(ReadError):
            read_medium(tmp_path / name)
    with pytest.raises(ReadError, match="cannot be read"):
        read_medium(tmp_path / "none.icc")
