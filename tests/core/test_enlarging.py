"""Enlarging against Lanczos (OpenCV), whatever the bands, and as a setting of files."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
import shots
import tifffile

from irvane.cli import main
from irvane.core.acutance.enlarging import FACTORS, LANCZOS, LEARNED, enlarged, enlarged_extent
from irvane.core.colour.spaces import SPACES


def _whole(light: np.ndarray, factor: str, by: str, rows: int = 1000) -> np.ndarray:
    bands = (light[k : k + rows] for k in range(0, len(light), rows))
    return np.concatenate(list(enlarged(bands, light.shape[:2], factor, by, "srgb")))


@pytest.mark.parametrize("factor", list(FACTORS))
def test_factors_and_bands(factor: str) -> None:
    light = shots.photograph("coffee.png")[:150, :210]
    once = _whole(light, factor, LEARNED)
    assert once.shape[:2] == enlarged_extent(light.shape[:2], factor)
    np.testing.assert_allclose(_whole(light, factor, LEARNED, rows=37), once, atol=2e-3)
    assert once.min() >= 0 and once.max() <= 1
    assert once.mean() == pytest.approx(light.mean(), rel=0.01), "no brighter, no darker"


def test_a_reduced_photograph_comes_nearer_to_itself_than_by_lanczos() -> None:
    code = SPACES["srgb"].encode
    for name in ("astronaut.png", "coffee.png"):
        truth = shots.photograph(name, reduced=False)[:288, :432]
        small = cv2.resize(truth, (216, 144), interpolation=cv2.INTER_AREA)
        plain = np.clip(cv2.resize(code(small), (432, 288), interpolation=cv2.INTER_LANCZOS4), 0, 1)
        ours = code(np.clip(_whole(small, "2", LEARNED), 0, 1))
        assert shots.psnr(ours, code(truth)) > shots.psnr(plain, code(truth)) + 0.5, name


def test_an_even_area_and_a_soft_ramp_get_no_pattern() -> None:
    ramp = np.linspace(0.05, 0.6, 120, dtype=np.float32)[None, :, None] * np.ones((80, 1, 3), np.float32)
    made = SPACES["srgb"].encode(np.clip(_whole(ramp, "4", LEARNED), 0, 1))[40:-40, 40:-40, 1]
    straight = cv2.GaussianBlur(made, (0, 0), 6)
    assert np.abs(made - straight)[24:-24, 24:-24].max() < 0.004


def test_files_are_enlarged_and_sizes_count_after_it(tmp_path: Path) -> None:
    frame = tmp_path / "f.dng"
    shots.dng(frame, shots.photograph())
    h, w = shots.photograph().shape[:2]
    for name, options, wanted in (
        ("a.tif", ["--set", "finish.enlarge=2"], (2 * h, 2 * w)),
        ("b.tif", ["--set", "finish.enlarge=1.5", "--set", "finish.enlarge_by=lanczos"], (round(1.5 * h), round(1.5 * w))),
        ("c.exr", ["--flat", "--set", "finish.enlarge=2"], (2 * h, 2 * w)),
    ):  # fmt: skip
        assert main(["develop", str(frame), "--out", str(tmp_path / name), *options]) == 0
        if name.endswith(".tif"):
            assert tifffile.imread(tmp_path / name).shape[:2] == wanted
        else:
            import OpenEXR

            header = OpenEXR.File(str(tmp_path / name)).header()["dataWindow"]
            assert tuple(int(v) + 1 for v in header[1]) == wanted[::-1]
    plain = _whole(shots.photograph(), "2", LANCZOS)
    assert plain.shape[:2] == (2 * h, 2 * w)
