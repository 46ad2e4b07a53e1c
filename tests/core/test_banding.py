"""Banding of rows and columns against known offsets of the simulation."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.sensor import banding_first
from irvane.core.sensor.banding import remove_banding

WELL, READ = 3000.0, 3.0
NOISE = NoiseModel((1 / WELL,) * 3, (READ / WELL,) * 3, "file")


def _dark(rng: np.random.Generator, shape: tuple[int, int] = (600, 900), light: float = 0.0005) -> np.ndarray:
    values = rng.poisson(np.full(shape, light * WELL)) + rng.normal(0, READ, shape)
    return (values / WELL).astype(np.float32)


def _bands(rng: np.random.Generator, count: int, width: int, electrons: float) -> np.ndarray:
    """Offsets that change every `width` lines, without their mean."""
    offsets = np.repeat(rng.normal(0, electrons / WELL, count // width + 1), width)[:count]
    return (offsets - offsets.mean()).astype(np.float32)


def _treated(mosaic: Mosaic, rows: bool, columns: bool, width: int, noise: NoiseModel = NOISE) -> tuple:
    copy = Mosaic(mosaic.data.copy(), mosaic.cfa)
    return copy, *remove_banding(copy, noise, rows, columns, width)


def _shot(scene: np.ndarray, cfa: np.ndarray, seed: int = 0) -> Mosaic:
    """A scene (relative to white, H×W, or H×W×3 in the camera's colours) with photon and read noise."""
    rng = np.random.default_rng(seed)
    if scene.ndim == 3:
        colours = Mosaic(np.zeros(scene.shape[:2], np.float32), cfa).colours().astype(int)
        scene = np.take_along_axis(scene, colours[..., None], 2)[..., 0]
    values = rng.poisson(np.maximum(scene, 0) * WELL) + rng.normal(0, READ, scene.shape)
    return Mosaic((values / WELL).astype(np.float32), cfa)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX])
@pytest.mark.parametrize("direction", ["rows", "columns"])
@pytest.mark.parametrize("width", [1, 6])
def test_known_offsets_are_taken_away(cfa: np.ndarray, direction: str, width: int) -> None:
    rng = np.random.default_rng(width)
    frame = _dark(rng, (900, 960))
    lines = frame.shape[0] if direction == "rows" else frame.shape[1]
    bands = _bands(rng, lines, width, 1.0)
    banded = frame + (bands[:, None] if direction == "rows" else bands)
    by_rows = direction == "rows"
    clean, rows, columns = _treated(Mosaic(banded, cfa), by_rows, not by_rows, 4 * width)
    taken = (banded - clean.data).mean(axis=1 if by_rows else 0)
    assert np.std(bands - taken) < (0.35 if width == 1 else 0.65) * bands.std()
    found = rows if by_rows else columns
    assert found.sigma == pytest.approx(bands.std(), rel=0.35 if width == 1 else 0.5)
    assert found.measured == pytest.approx(bands.std(), rel=0.18 if width == 1 else 0.3), "of what there was"
    assert found.sureness > 5, "it says how sure it is"
    assert (columns if by_rows else rows).sigma == 0


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX])
@pytest.mark.parametrize("size", [0.003, 0.006])
def test_banding_of_a_dark_photograph_falls_by_four_fifths(cfa: np.ndarray, size: float) -> None:
    """A frame of six megapixels, four stops under, offsets of up to three read noises."""
    light = cv2.resize(shots.photograph("rocket.jpg"), (3000, 2004), interpolation=cv2.INTER_CUBIC) / 16
    shot = _shot(light * shots.NEUTRAL, cfa)
    bands = np.random.default_rng(4).normal(0, size, shot.data.shape[0]).astype(np.float32)
    clean, rows, _ = _treated(Mosaic(shot.data + bands[:, None], cfa), True, False, 8)
    left = (clean.data - shot.data)[:, 0]
    assert np.std(left) < 0.2 * bands.std()
    assert rows.sureness > 5


def _scenes() -> dict[str, np.ndarray]:
    """Scenes with what looks like banding: everything in them is light."""
    h, w = 800, 960
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    rng = np.random.default_rng(11)
    waves = cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(np.float32), (0, 0), sigmaX=60, sigmaY=1.2)
    ink = np.zeros((h, w), np.uint8)
    for row in range(20, h - 10, 14):
        cv2.putText(ink, "fritted glass 1140 C, anneal at 480 C, two hours " * 2, (4, row), 0, 0.35, 255, 1)
    shade = 0.3 + 0.7 * (x / w)
    return {
        "sea": 0.01 * shade * (1 + 0.5 * waves / waves.std()) * (y > 200) + 0.02 * (y <= 200),
        "blinds": 0.008 * shade * (1 + 0.6 * np.sign(np.sin(2 * np.pi * y / 7))),
        "stairs": 0.004 * (1 + ((y + x // 240) // 5 % 2)) * shade,
        "text": 0.02 - 0.018 * (ink / 255).astype(np.float32),
        "night": 0.0004 * shade * (1 + (rng.random((h, 1)) > 0.9)),
    }


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX])
@pytest.mark.parametrize("name", list(_scenes()))
def test_what_looks_like_banding_and_is_light_stays(cfa: np.ndarray, name: str) -> None:
    scene = (np.clip(_scenes()[name], 0, 1)[..., None] * shots.NEUTRAL).astype(np.float32)
    shot, true = _shot(scene, cfa), shots.mosaic_of(scene, cfa).data
    clean, rows, _ = _treated(shot, True, False, 8)
    lost = 10 * np.log10(np.mean((clean.data - true) ** 2) / np.mean((shot.data - true) ** 2))
    assert abs(lost) < 0.02, "no more than 0.02 dB anywhere"
    assert rows.sigma < 0.1 * READ / WELL


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX])
@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png", "astronaut.png", "rocket.jpg"])
def test_clean_photographs_are_left_exactly_as_they_are(cfa: np.ndarray, name: str) -> None:
    for dark in (1, 1 / 16):
        shot = _shot(shots.photograph(name) * shots.NEUTRAL * dark, cfa)
        clean, rows, columns = _treated(shot, True, True, 8)
        np.testing.assert_array_equal(clean.data, shot.data)
        assert rows.sigma == columns.sigma == 0


def test_every_colour_keeps_its_mean_in_every_stretch_of_lines() -> None:
    shot = _shot(np.full((800, 960), 0.001, np.float32), BAYER)
    bands = _bands(np.random.default_rng(1), 800, 1, 2.0)
    clean, rows, _ = _treated(Mosaic(shot.data + bands[:, None], BAYER), True, False, 8)
    assert rows.sigma > 0
    taken = (shot.data + bands[:, None] - clean.data)[:, 0]
    for phase in (0, 1):
        means = taken[phase::2].reshape(4, -1).mean(axis=1)
        assert np.abs(means).max() < 0.2 * rows.sigma, means / rows.sigma


def test_the_first_method_is_kept_for_old_proofs() -> None:
    """Its result, as it was released, on a seeded frame (from the program itself)."""
    rng = np.random.default_rng(1)
    frame = _dark(rng) + _bands(rng, 600, 1, 1.0)[:, None]
    clean = Mosaic(frame.copy(), BAYER)
    rows, _ = banding_first.remove_banding(clean, NOISE, True, False, 8)
    before, after = (np.diff(m.mean(axis=1), n=2).std() for m in (frame, clean.data))
    assert after < 0.35 * before and rows == pytest.approx(1 / WELL, rel=0.35)
