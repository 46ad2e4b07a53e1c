"""The black level: measured from masked pixels, never above the darkest part, deep pushes stay neutral."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import shots

from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.files.raw import decode_raw
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.source import FileSource
from irvane.core.sensor.black import darkest_black, masked_black, refined_black
from irvane.core.simulate.camera import Body

STATED, WHITE = np.full(3, 512.0), np.full(3, 16383.0)
ARRAYS = pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])


def _counts(level: np.ndarray, shape: tuple[int, int], cfa: np.ndarray, seed: int = 0) -> np.ndarray:
    """Counts of a sensor whose colours have the mean `level`, with read noise."""
    rng = np.random.default_rng(seed)
    colours = cfa[np.ix_(np.arange(shape[0]) % len(cfa), np.arange(shape[1]) % len(cfa))]
    return np.round(rng.normal(np.asarray(level)[colours], 2.5)).astype(np.uint16)


def test_masked_pixels_give_fractions_of_a_count() -> None:
    truth = np.array([512.3, 511.6, 512.8])
    counts = _counts(truth, (600, 60), BAYER)
    counts[5, 7] = 9000  # a hot pixel changes nothing
    colours = BAYER[np.ix_(np.arange(600) % 2, np.arange(60) % 2)]
    found = masked_black(counts.ravel(), colours.ravel(), STATED, WHITE)
    np.testing.assert_allclose(found, truth, atol=0.08)


@pytest.mark.parametrize("level", [100.0, 900.0])
def test_what_is_no_darkness_is_not_believed(level: float) -> None:
    counts = _counts(np.full(3, level), (600, 60), BAYER)
    colours = BAYER[np.ix_(np.arange(600) % 2, np.arange(60) % 2)].ravel()
    np.testing.assert_array_equal(masked_black(counts.ravel(), colours, STATED, WHITE), STATED)
    np.testing.assert_array_equal(masked_black(counts.ravel()[:50], colours[:50], STATED, WHITE), STATED)


@ARRAYS
def test_black_is_never_above_the_darkest_part(cfa: np.ndarray) -> None:
    truth = np.array([511.2, 510.8, 511.5])
    counts = _counts(truth, (480, 480), cfa)
    counts[:240] = _counts(truth + 300, (240, 480), cfa)
    found = darkest_black(counts, cfa, STATED, WHITE)
    assert (found < STATED).all()
    assert np.abs(found - truth).max() < 0.45
    # a frame whose darkest part is light tells nothing; nor does one without much of it
    np.testing.assert_array_equal(
        darkest_black(_counts(truth + 50, (480, 480), cfa), cfa, STATED, WHITE), STATED
    )
    np.testing.assert_array_equal(darkest_black(counts[:20, :20], cfa, STATED, WHITE), STATED)
    np.testing.assert_array_equal(refined_black(counts, cfa, STATED, WHITE, None), found)


def test_noise_around_the_stated_black_leaves_it_nearly_there() -> None:
    found = darkest_black(_counts(STATED, (1200, 1200), BAYER), BAYER, STATED, WHITE)
    assert np.abs(found - STATED).max() < 0.4


def _write(path: Path, counts: np.ndarray, masked: int) -> None:
    body = Body("Reference")
    write_dng(
        path, counts, BAYER, black=512, white=16383,
        colour=DngColour(body.matrix_a, body.matrix_d65, shots.NEUTRAL), info=FrameInfo("Irvane", "Reference", iso=100.0),
        noise_profile=body.noise_profile(100), preview_jpeg=_thumb(), preview_shape=(48, 72), masked=masked,
    )  # fmt: skip


def _thumb() -> bytes:
    import cv2

    return cv2.imencode(".jpg", np.full((48, 72, 3), 120, np.uint8))[1].tobytes()


@pytest.mark.parametrize("stops", [6, 8, 10])
def test_grey_far_under_stays_neutral(stops: int, tmp_path: Path) -> None:
    black = np.array([512.42, 511.55, 512.47])
    grey = 0.18 * 2.0**-stops * shots.NEUTRAL * (16383 - 512)
    counts = _counts(black + grey, (640, 760), BAYER)
    counts[:, :48] = _counts(black, (640, 48), BAYER, 1)
    _write(tmp_path / "deep.dng", counts, 48)
    frame = decode_raw(tmp_path / "deep.dng")
    assert frame.counts.shape == (640, 712)
    assert frame.masked is not None
    loaded = FileSource(tmp_path / "deep.dng").load()
    assert loaded.mosaic is not None and loaded.levels is not None
    np.testing.assert_allclose(loaded.levels[0], black, atol=0.08)
    colours = loaded.mosaic.colours()
    seen = np.array([loaded.mosaic.data[colours == c].mean() for c in range(3)]) / shots.NEUTRAL
    # at ten stops under, grey is under three counts: a tenth of a count is four per cent of it
    assert np.ptp(seen) / seen.mean() < 0.012 * 2.0 ** (stops - 6) ** 0.8
