"""Banding of rows and columns against known offsets of the simulation."""

from __future__ import annotations

import numpy as np
import pytest

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
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


def _treated(
    mosaic: Mosaic, noise: NoiseModel, rows: bool, columns: bool, width: int
) -> tuple[Mosaic, float, float]:
    copy = Mosaic(mosaic.data.copy(), mosaic.cfa)
    return copy, *remove_banding(copy, noise, rows, columns, width)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX])
@pytest.mark.parametrize("direction", ["rows", "columns"])
@pytest.mark.parametrize("width", [1, 6])
def test_known_offsets_are_taken_away(cfa: np.ndarray, direction: str, width: int) -> None:
    rng = np.random.default_rng(width)
    frame = _dark(rng)
    lines = frame.shape[0] if direction == "rows" else frame.shape[1]
    bands = _bands(rng, lines, width, 1.0)
    banded = frame + (bands[:, None] if direction == "rows" else bands)
    clean, rows, columns = _treated(
        Mosaic(banded, cfa), NOISE, direction == "rows", direction == "columns", 4 * width
    )
    axis = 1 if direction == "rows" else 0
    # local unevenness of the lines: what the eye sees
    before, after = (np.diff(m.mean(axis=axis), n=2).std() for m in (banded, clean.data))
    floor = np.diff(frame.mean(axis=axis), n=2).std()
    assert after < 0.35 * before + floor
    found = rows if direction == "rows" else columns
    assert found == pytest.approx(bands.std(), rel=0.35)
    assert (columns if direction == "rows" else rows) == 0


def test_a_clean_sensor_is_left_as_it_is() -> None:
    frame = _dark(np.random.default_rng(1))
    clean, rows, columns = _treated(Mosaic(frame, BAYER), NOISE, True, True, 8)
    assert max(rows, columns) < 0.03 * READ / WELL
    assert np.abs(clean.data - frame).max() < 0.15 * READ / WELL


def test_lit_scenes_and_their_horizontal_edges_stay() -> None:
    rng = np.random.default_rng(2)
    scene = np.full((400, 600), 0.2, np.float32)
    scene[100:103] = 0.35
    scene[200:] = 0.05
    lit = ((rng.poisson(scene * WELL) + rng.normal(0, READ, scene.shape)) / WELL).astype(np.float32)
    clean, _, _ = _treated(Mosaic(lit, BAYER), NOISE, True, True, 8)
    np.testing.assert_array_equal(clean.data, lit)


def test_dark_steps_of_the_scene_are_not_taken_for_bands() -> None:
    rng = np.random.default_rng(3)
    scene = np.zeros((400, 900), np.float32)
    scene[150:] = 12 / WELL  # four times the read noise: no banding is so strong
    dark = ((rng.poisson(scene * WELL) + rng.normal(0, READ, scene.shape)) / WELL).astype(np.float32)
    clean, _, _ = _treated(Mosaic(dark, BAYER), NOISE, True, False, 8)
    step = clean.data[160:300].mean() - clean.data[:140].mean()
    assert step == pytest.approx(12 / WELL, rel=0.03)


def test_dark_lines_of_the_scene_keep_their_colour_beside_real_bands() -> None:
    """A long dark rail across the frame is not a band, even where there is banding too."""
    rng = np.random.default_rng(6)
    scene = np.full((600, 900), 3 / WELL, np.float32)
    scene[200:206] = 0.5 / WELL
    frame = ((rng.poisson(scene * WELL) + rng.normal(0, READ, scene.shape)) / WELL).astype(np.float32)
    bands = _bands(rng, 600, 1, 0.4)
    clean, rows, _ = _treated(Mosaic(frame + bands[:, None], BAYER), NOISE, True, False, 8)
    depth = clean.data[202:204].mean() - clean.data[300:500].mean()
    assert depth == pytest.approx(-2.5 / WELL, rel=0.25)
    assert rows < 2 * bands.std()
