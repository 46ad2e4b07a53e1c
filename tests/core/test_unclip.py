"""Clipped samples raised before interpolation: edges of clipped areas keep their colour, parts are as the whole."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.line.context import make_context
from irvane.core.line.develop import Developed, denoise_whole, develop, refine_plain
from irvane.core.line.regional import denoise_region, refine_region
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.pixels.places import FrameRegion
from irvane.core.sensor.clipping import CLIP_FULL, clip_bits
from irvane.core.sensor.highlights import rebuild
from irvane.core.sensor.unclip import map_of, unclipped
from irvane.core.settings import Sensor

GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()
ARRAYS = pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
LEAF, SKY = (0.12, 0.3, 0.1), (1.2, 2.0, 1.9)


def _leaves(
    shape: tuple[int, int] = (240, 324), sky: tuple[float, float, float] = SKY, darkest: float = 0.35
) -> np.ndarray:
    """Camera-linear light: dark leaves, softened by a lens, before a sky whose green and blue clip while red holds.

    A part of the sky is darker and holds entirely, unless its `darkest` part is not dark: it tells what the colour of
    sky is.
    """
    rng = np.random.default_rng(4)
    cover = np.zeros(shape, np.float32)
    for y, x in rng.integers(0, shape, (40, 2)):
        axes = (int(rng.integers(6, 20)), int(rng.integers(3, 8)))
        cv2.ellipse(cover, (int(x), int(y)), axes, float(rng.uniform(0, 180)), 0, 360, 1, -1, cv2.LINE_AA)
    cover = cv2.GaussianBlur(cover, (0, 0), 0.7)[..., None]
    fall = np.linspace(1.0, darkest, shape[1], dtype=np.float32)[None, :, None]
    light = cover * np.array(LEAF, np.float32) + (1 - cover) * fall * np.array(sky, np.float32)
    return np.float32(light * shots.NEUTRAL)


def _developed(camera: np.ndarray, cfa: np.ndarray, iso: float = 100) -> Developed:
    return develop(shots.loaded(np.minimum(camera, 1), iso, cfa), Sensor())


def _beside_the_clip(camera: np.ndarray) -> np.ndarray:
    """Pixels whose colours all hold, with clipped ones within two pixels."""
    over = (camera >= 1).any(axis=2)
    return cv2.dilate(over.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool) & ~over


@ARRAYS
def test_beside_clipped_sky_nothing_turns_magenta(cfa: np.ndarray) -> None:
    camera = _leaves()
    developed = _developed(camera, cfa)
    picture, where = developed.plain.read_all(), _beside_the_clip(camera)
    where[:8], where[-8:], where[:, :8], where[:, -8:] = False, False, False, False
    assert where.sum() > 400
    off = np.log2(np.maximum(picture, 1e-3) / camera)[where]
    magenta = (off[:, 0] + off[:, 2]) / 2 - off[:, 1]
    assert 0 < magenta.mean() < (0.09 if cfa is BAYER else 0.07), "EV; half as much again without raising"


@ARRAYS
@pytest.mark.parametrize("sky", [SKY, (0.9, 1.5, 1.9), (1.4, 1.5, 1.6), (0.7, 1.1, 1.6)])
def test_a_sky_of_which_nothing_holds_takes_no_colour_of_leaves(
    cfa: np.ndarray, sky: tuple[float, float, float]
) -> None:
    """Common practice: an overexposed sky may turn white or pale blue, but not green."""
    camera = _leaves(sky=sky, darkest=0.97)
    developed = _developed(camera, cfa)
    lent = make_context(developed).highlights
    rebuilt = rebuild(developed.plain.read_all(), developed.gains, lent, 0, 0, 1) * GAINS
    lost = (camera >= 1).any(axis=2) & (camera.min(axis=2) < 0.95)
    assert lost.mean() > 0.5
    red, green, blue = np.median(rebuilt[lost], axis=0)
    assert green < 1.3 * np.sqrt(red * blue), "as leaves it would be 1.6 to 2.4"
    assert green > 0.95 * red and blue > 1.4


@ARRAYS
def test_samples_that_hold_are_left_alone(cfa: np.ndarray) -> None:
    camera = _leaves()
    mosaic = shots.mosaic_of(np.minimum(camera, 1), cfa)
    lent = map_of(mosaic, GAINS, clip_bits(mosaic))
    raised = unclipped(mosaic, mosaic.data, GAINS, lent, 0, 0).data
    truth = shots.mosaic_of(camera, cfa).data
    clipped = mosaic.data >= CLIP_FULL
    assert np.array_equal(raised[~clipped], mosaic.data[~clipped])
    assert (raised[clipped] >= mosaic.data[clipped]).all()
    deep = clipped & (truth > 1.15)
    assert np.abs(np.log2(raised[deep] / truth[deep])).mean() < 0.6 * np.log2(truth[deep]).mean()


def test_where_nothing_clips_the_mosaic_is_the_same() -> None:
    mosaic = shots.mosaic_of(_leaves() * np.float32(0.4), BAYER)
    bits = clip_bits(mosaic)
    lent = map_of(mosaic, GAINS, bits)
    assert bits is None and lent.numbers is None
    assert unclipped(mosaic, mosaic.data, GAINS, lent, 0, 0) is mosaic


@ARRAYS
def test_a_part_is_raised_as_in_the_whole(cfa: np.ndarray) -> None:
    mosaic = shots.mosaic_of(np.minimum(_leaves(), 1), cfa)
    lent = map_of(mosaic, GAINS, clip_bits(mosaic))
    whole = unclipped(mosaic, mosaic.data, GAINS, lent, 0, 0).data
    cut = slice(48, 144), slice(60, 252)
    part = Mosaic(np.ascontiguousarray(mosaic.data[cut]), cfa)
    found = unclipped(part, part.data, GAINS, lent, 48, 60).data
    assert np.allclose(found[2:-2, 2:-2], whole[cut][2:-2, 2:-2], atol=1e-5)


@ARRAYS
def test_what_is_seen_of_clipped_places_is_as_in_the_whole(cfa: np.ndarray) -> None:
    developed, region = _developed(_leaves(), cfa, 3200), FrameRegion(60, 70, 150, 200)
    removal = Removal(1.0, FAST)
    local = denoise_region(developed, Sensor(), removal, region).pixels
    whole = denoise_whole(developed, Sensor(), removal).read(region).pixels
    assert np.abs(local - whole).max() < 2e-3
    if cfa is SIX_BY_SIX:
        local = refine_region(developed, Sensor(), region).pixels
        assert np.abs(local - refine_plain(developed, Sensor()).plain.read(region).pixels).max() < 1e-3


@pytest.mark.parametrize("flip", [0, 3, 5, 6])
def test_the_map_is_turned_with_the_picture(flip: int) -> None:
    mosaic = shots.mosaic_of(np.minimum(_leaves(), 1), BAYER)
    lent = map_of(mosaic, GAINS, clip_bits(mosaic))
    turned = lent.upright(flip)
    assert turned.extent == ((240, 324) if flip in (0, 3) else (324, 240))
    corner = {0: (0, 0), 3: (-1, -1), 5: (-1, 0), 6: (0, -1)}[flip]
    assert np.array_equal(turned.numbers[corner], lent.numbers[0, 0])
