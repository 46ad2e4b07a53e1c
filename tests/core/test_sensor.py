"""Levels, defects, demosaicing, highlights: against LibRaw, colour-demosaicing and known truth."""

from __future__ import annotations

from pathlib import Path

import colour_demosaicing
import numpy as np
import pytest
import rawpy
import shots

from irvane.core.files.raw import decode_raw
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.sensor.defects import repair_defects
from irvane.core.sensor.demosaic import bin_colour, demosaic
from irvane.core.sensor.highlights import make_map, rebuild
from irvane.core.sensor.levels import apply_levels

GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()


def _encoded(camera: np.ndarray) -> np.ndarray:
    return np.clip(camera * GAINS, 0, 1) ** (1 / 2.2)


@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png"])
def test_bayer_beats_menon_2007(name: str) -> None:
    # Menon, Andriani & Calvagno 2007 in colour-demosaicing, given white-balanced light in the same power domain
    camera = shots.photograph(name) * shots.NEUTRAL.astype(np.float32)
    mosaic = shots.mosaic_of(camera)
    ours = demosaic(mosaic, GAINS, 0.001)
    encoded = np.clip(mosaic.data * GAINS[mosaic.colours()], 0, 1) ** (1 / 2.2)
    theirs = colour_demosaicing.demosaicing_CFA_Bayer_Menon2007(encoded, "RGGB")
    truth = _encoded(camera)
    assert shots.psnr(_encoded(ours), truth) > shots.psnr(np.clip(theirs, 0, 1), truth) - 0.1
    bilinear = colour_demosaicing.demosaicing_CFA_Bayer_bilinear(encoded, "RGGB")
    assert shots.psnr(_encoded(ours), truth) > shots.psnr(np.clip(bilinear, 0, 1), truth) + 2


@pytest.mark.parametrize("shift", [(0, 0), (0, 1), (1, 0), (1, 1)])
def test_all_bayer_orders_are_equally_good(shift: tuple[int, int]) -> None:
    cfa = np.roll(BAYER, shift, axis=(0, 1))
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    reference = shots.psnr(_encoded(demosaic(shots.mosaic_of(camera), GAINS, 0.001)), _encoded(camera))
    result = shots.psnr(_encoded(demosaic(shots.mosaic_of(camera, cfa), GAINS, 0.001)), _encoded(camera))
    assert abs(result - reference) < 0.6


@pytest.mark.parametrize("shift", [(0, 0), (2, 3), (5, 1)])
def test_six_by_six_array_in_any_phase(shift: tuple[int, int]) -> None:
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    cfa = np.roll(SIX_BY_SIX, shift, axis=(0, 1))
    result = demosaic(shots.mosaic_of(camera, cfa), GAINS, 0.001)
    assert shots.psnr(_encoded(result), _encoded(camera)) > 31


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("method", ["auto", "linear"])
def test_flat_grey_stays_flat_up_to_the_rim(cfa: np.ndarray, method: str) -> None:
    camera = np.broadcast_to(shots.NEUTRAL.astype(np.float32) * 0.3, (50, 55, 3))
    result = demosaic(shots.mosaic_of(np.ascontiguousarray(camera), cfa), GAINS, 0.001, method)
    assert np.allclose(result, camera, atol=2e-3)


def test_binning_keeps_the_mean() -> None:
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    for cfa, n in ((BAYER, 2), (SIX_BY_SIX, 3)):
        small = bin_colour(shots.mosaic_of(camera, cfa))
        assert small.shape[0] == camera.shape[0] // n
        assert np.allclose(small.mean(axis=(0, 1)), camera.mean(axis=(0, 1)), rtol=0.02)


def test_levels_and_pattern_agree_with_libraw(tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    counts = shots.dng(path, shots.photograph())
    raw = decode_raw(path)
    with rawpy.imread(str(path)) as other:
        assert np.array_equal(raw.counts, other.raw_image_visible)
        assert raw.black.tolist() == list(other.black_level_per_channel)[:3]
        assert raw.white[0] == other.white_level
    assert np.array_equal(raw.counts, counts)
    assert np.array_equal(raw.cfa, BAYER)
    scaled = apply_levels(counts, BAYER, raw.black, raw.white)
    expected = (counts.astype(float) - 512) / (16383 - 512)
    assert np.allclose(scaled, expected, atol=1e-6)
    assert scaled.min() < 0.01


def test_defects_are_found_and_point_lights_stay() -> None:
    noise = shots.noise_of(800)
    rng = np.random.default_rng(4)
    camera = np.full((360, 480, 3), 0.12, np.float32) * shots.NEUTRAL.astype(np.float32)
    y, x = np.mgrid[0:360, 0:480]
    stars = rng.integers(30, 330, (12, 2))
    for sy, sx in stars:  # points of light of two pixels' width, as lenses draw them
        camera += 0.4 * np.exp(-((y - sy) ** 2 + (x - sx) ** 2) / (2 * 0.85**2))[..., None].astype(np.float32)
    mosaic = shots.noisy(shots.mosaic_of(np.minimum(camera, 1)), noise)
    data = mosaic.data.copy()
    places = rng.permutation(360 * 480)[:80]
    rows, columns = np.unravel_index(places, data.shape)
    clear = np.min(np.hypot(rows[:, None] - stars[:, 0], columns[:, None] - stars[:, 1]), axis=1) > 8
    rows, columns = rows[clear], columns[clear]
    data[rows, columns] += 0.5
    repaired, found = repair_defects(Mosaic(data, mosaic.cfa), noise)
    changed = repaired != data
    assert changed[rows, columns].mean() >= 0.97
    assert found - changed[rows, columns].sum() <= 2
    for sy, sx in stars:
        before, after = (
            data[sy - 2 : sy + 3, sx - 2 : sx + 3].sum(),
            repaired[sy - 2 : sy + 3, sx - 2 : sx + 3].sum(),
        )
        assert after > 0.95 * before


def test_one_clipped_colour_is_rebuilt() -> None:
    # a sky that rises beyond the clip of one colour; the others hold
    h, w = 240, 360
    ramp = np.linspace(0.35, 1.5, w, dtype=np.float32)
    hue = np.array([0.95, 1.0, 0.62], np.float32)
    truth = np.broadcast_to(ramp[None, :, None] * hue, (h, w, 3)) * shots.NEUTRAL.astype(np.float32)
    truth = np.ascontiguousarray(truth)
    seen = np.minimum(truth, 1)
    result = rebuild(seen, GAINS, make_map(seen, GAINS, (h, w)), 0, 0, 1.0)
    lost = (truth[..., 1] > 1.02) & (truth[..., 0] < 0.95)
    error = np.abs(np.log2(result[lost, 1] / truth[lost, 1]))
    assert np.median(error) < 0.25  # EV
    ratio = result[lost] * GAINS
    assert (ratio[:, 1] > 0.9 * ratio[:, 2]).mean() > 0.99, "nothing turns magenta"


def test_all_colours_clipped_turn_neutral() -> None:
    seen = np.ones((120, 160, 3), np.float32)
    seen[:, :60] = shots.NEUTRAL.astype(np.float32) * 0.5
    result = rebuild(seen, GAINS, make_map(seen, GAINS, (120, 160)), 0, 0, 1.0)
    balanced = result[60, 120] * GAINS
    assert np.ptp(balanced) < 0.02 * balanced.max()
    assert np.array_equal(result[:, :50], seen[:, :50])
