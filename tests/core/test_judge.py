"""Figures against NumPy and known truth."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import shots

from irvane.core.errors import ReadError
from irvane.core.judge.facts import frame_facts, measure_file, sets_of
from irvane.core.judge.histogram import BINS_PER_STOP, STOPS, clipped_shares, stop_histogram
from irvane.core.judge.matching import brightness_offset
from irvane.core.judge.probe import read_probe, robust_sigma
from irvane.core.judge.spot import grey_of_frame, grey_spot
from irvane.core.line.develop import develop
from irvane.core.settings import Settings


def test_sigma_is_numpys_without_the_plane() -> None:
    rng = np.random.default_rng(0)
    noise = rng.normal(0, 0.01, (90, 120))
    y, x = np.mgrid[0:90, 0:120]
    assert robust_sigma(noise + 0.002 * x - 0.003 * y) == pytest.approx(noise.std(ddof=3), rel=0.01)


def test_stuck_pixels_are_no_noise() -> None:
    rng = np.random.default_rng(0)
    noise = rng.normal(0, 0.01, (80, 80))
    spoiled = noise.copy()
    spoiled[::16, ::16] = 0.9
    assert robust_sigma(spoiled) == pytest.approx(noise.std(), rel=0.03)
    assert robust_sigma(np.full((10, 10), 0.3)) == pytest.approx(0, abs=1e-9)


def test_probe_states_snr_as_iso_15739_does() -> None:
    # ISO 15739: signal over its standard deviation; in dB as 20·log10
    rng = np.random.default_rng(1)
    grey = (0.18 + rng.normal(0, 0.0018, (64, 64)))[..., None].repeat(3, axis=2).astype(np.float32)
    figures = read_probe(grey)
    assert figures.snr_db == pytest.approx(40, abs=0.4)
    assert figures.level_ev == pytest.approx(0, abs=0.01)
    assert figures.sigma_colour < 1e-5
    dark = read_probe(np.zeros((8, 8, 3), np.float32))
    assert dark.snr_db is None
    assert dark.level_ev is None
    with pytest.raises(ValueError, match="at least"):
        read_probe(np.zeros((3, 9, 3), np.float32))


def test_histogram_counts_stops() -> None:
    picture = np.full((10, 10, 3), 0.2, np.float32)  # between 2 and 3 stops below white
    picture[0] = 1.5
    picture[1] = 0
    found = stop_histogram(picture)
    row = found.counts[3]
    assert row.argmax() // BINS_PER_STOP == STOPS - 3
    assert row.sum() == pytest.approx(0.8)
    assert found.above[3] == pytest.approx(0.1)
    assert found.below[3] == pytest.approx(0.1)
    assert clipped_shares(np.clip(picture, 0, 1)) == pytest.approx((0.1, 0.1))


def test_the_histogram_is_that_of_logarithms() -> None:
    rng = np.random.default_rng(8)
    picture = np.float32(2.0 ** rng.uniform(-17, 2, (60, 70, 3)))
    picture[0, :5] = [[0, 0, 0], [-1, -0.0, 1e-30], [1, 1, 1], [2.0**-14, 0.5, 0.25], [1 - 2.0**-24, 3, 2e9]]
    luminance = picture @ np.array([0.2627, 0.6780, 0.0593], np.float32)  # ITU-R BT.2020
    found = stop_histogram(picture)
    edges = np.arange(STOPS * BINS_PER_STOP + 1) / BINS_PER_STOP - STOPS
    for k, row in enumerate([*np.moveaxis(picture, 2, 0), luminance]):
        stops = np.log2(np.maximum(row, 1e-35).astype(np.float64)).ravel()
        counts = np.histogram(stops[(stops >= -STOPS) & (stops < 0)], edges)[0]
        np.testing.assert_allclose(found.counts[k] * row.size, counts, atol=1e-2)
        assert found.below[k] == pytest.approx(np.mean(stops < -STOPS))
        assert found.above[k] == pytest.approx(np.mean(stops >= 0))


def test_brightness_is_matched_in_stops() -> None:
    picture = shots.photograph()
    for ev in (-3.0, -0.4, 1.7):
        assert brightness_offset(picture * np.float32(2.0**ev), picture[::2, ::2]) == pytest.approx(
            ev, abs=0.05
        )
    rng = np.random.default_rng(0)
    noisy = (picture * 0.25 + rng.normal(0, 0.03, picture.shape)).astype(np.float32)
    assert brightness_offset(picture, noisy) == pytest.approx(2, abs=0.15), "noise does not pull"


def test_grey_spot_finds_the_light_of_the_shot() -> None:
    grey = np.broadcast_to(shots.NEUTRAL.astype(np.float32) * 0.3, (120, 160, 3))
    developed = develop(shots.loaded(np.ascontiguousarray(grey), 3200), Settings().sensor)
    values, sentence = grey_spot(developed, 80, 60)
    from irvane.core.colour.whitebalance import light_from_neutral

    kelvin, tint = light_from_neutral(shots.colour(), shots.NEUTRAL)
    assert values is not None
    assert values["colour.temperature"] == pytest.approx(kelvin, rel=0.02)
    assert values["colour.tint"] == pytest.approx(tint, abs=2)
    assert "Neutral" in sentence


def test_the_frames_light_is_measured_from_all_of_it() -> None:
    """Colours whose brightest average to grey; the estimate is compared with shades of grey written out (their eq. 6)."""
    from irvane.core.colour.whitebalance import light_from_neutral

    rng = np.random.default_rng(3)
    patches = rng.uniform(0.1, 0.9, (12, 16, 3)).repeat(20, 0).repeat(20, 1)
    camera = np.ascontiguousarray((patches * shots.NEUTRAL).astype(np.float32))
    developed = develop(shots.loaded(camera, 100), Settings().sensor)
    values, sentence = grey_of_frame(developed)
    estimate = np.mean(camera.reshape(-1, 3).astype(float) ** 6, axis=0) ** (1 / 6)
    kelvin, tint = light_from_neutral(shots.colour(), estimate / estimate.max())
    assert values is not None and "Measured" in sentence
    assert values["colour.temperature"] == pytest.approx(kelvin, rel=0.05)
    assert values["colour.tint"] == pytest.approx(tint, abs=4)
    dark = develop(shots.loaded(np.full((120, 160, 3), 1e-5, np.float32), 100), Settings().sensor)
    assert grey_of_frame(dark)[0] is None


@pytest.mark.parametrize(("level", "word"), [(1.5, "clipped"), (0.0002, "dark")])
def test_useless_grey_spots_are_refused(level: float, word: str) -> None:
    flat = np.minimum(np.broadcast_to(shots.NEUTRAL.astype(np.float32) * level, (120, 160, 3)), 1)
    developed = develop(shots.loaded(np.ascontiguousarray(flat)), Settings().sensor)
    values, sentence = grey_spot(developed, 80, 60)
    assert values is None
    assert word in sentence


def test_measured_noise_of_a_frame_is_the_simulated_cameras(tmp_path: Path) -> None:
    # plain rendition of a flat field: linear interpolation lowers σ by a known, moderate factor only
    shots.dng(tmp_path / "flat.dng", np.full((360, 480, 3), 0.18, np.float32), iso=1600)
    settings = Settings().with_value("noise.amount", 0)
    figures = measure_file(tmp_path / "flat.dng", settings, (100, 80, 200, 160))
    assert figures["level_ev"] == pytest.approx(0.5, abs=0.03), (
        "18 % grey opens half a stop above: the base exposure"
    )
    assert 15 < figures["snr_db"] < 35
    clean = measure_file(tmp_path / "flat.dng", Settings(), (100, 80, 200, 160))
    assert clean["snr_db"] > figures["snr_db"] + 8
    with pytest.raises(ReadError, match="inside"):
        measure_file(tmp_path / "flat.dng", settings, (400, 80, 200, 160))


def test_facts_state_what_the_simulated_camera_is(frames: Path) -> None:
    facts = frame_facts(frames / "bench-iso6400.dng")
    assert facts["iso"] == 6400
    assert facts["kind"] == "mosaic"
    assert (facts["width"], facts["height"]) == (900, 600)
    assert facts["noise"]["origin"] == "file"
    assert facts["noise"]["gain"][1] == pytest.approx(6400 / 100 / 50_000, rel=1e-6)
    assert facts["noise"]["automatic_amount"] == 100
    assert any("SNR" in sentence for sentence in facts["diagnosis"])
    found = sets_of(sorted(frames.glob("*.dng")))
    assert [len(one["frames"]) for one in found] == [3]
    assert found[0]["offsets"] == [-2, 0, 2]
