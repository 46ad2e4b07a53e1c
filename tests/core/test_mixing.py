"""Noise controls mix the plain and the denoised picture: each acts where it says, and nowhere else."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shots
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from irvane.core import threads
from irvane.core.line.camera import mixed_patch
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.steps import DEBLURRED, around, noise_shares
from irvane.core.line.view import render_view
from irvane.core.noise.denoise import Removal
from irvane.core.noise.mixing import Shares, mix
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Noise, Settings

GAINS = np.array([1.9, 1.0, 1.5])
NOISE = shots.noise_of(6400)


def _pair(
    level: np.ndarray | float = 0.2, shape: tuple[int, int] = (160, 200)
) -> tuple[np.ndarray, np.ndarray]:
    """A noisy picture of something even, and what is under the noise."""
    clean = np.broadcast_to(np.asarray(level, np.float32), shape)[..., None] / GAINS.astype(np.float32)
    clean = np.ascontiguousarray(clean, np.float32)
    noise = np.random.default_rng(1).standard_normal(clean.shape) * np.sqrt(
        NOISE.gain[0] * clean + NOISE.read[0] ** 2
    )
    return (clean + noise).astype(np.float32), clean


def _left(shares: Shares, level: np.ndarray | float = 0.2, step: float = 1.0) -> np.ndarray:
    """What is left of the noise, per channel, in standard deviations of what was there."""
    plain, clean = _pair(level)
    left = mix(plain, clean, GAINS, shares, NOISE, step) - clean
    return left / (plain - clean).std(axis=(0, 1))


@given(st.floats(0, 1), st.floats(0, 1))
@settings(max_examples=20, deadline=None)
def test_equal_shares_leave_an_even_part(one: float, texture: float) -> None:
    plain, clean = _pair()
    mixed = mix(plain, clean, GAINS, Shares(one, one, scales=(0.999, 0.999, 0.999)), NOISE)
    np.testing.assert_allclose(mixed, plain + one * 0.999 * (clean - plain), atol=1e-5)
    assert np.isfinite(mix(plain, clean, GAINS, Shares(one, one, texture=texture), NOISE)).all()


@pytest.mark.parametrize("channel", range(3))
def test_a_channel_left_out_keeps_its_noise(channel: int) -> None:
    channels = tuple(float(c != channel) for c in range(3))
    left = _left(Shares(channels=channels)).std(axis=(0, 1))
    assert left[channel] == pytest.approx(1, abs=0.02)
    assert max(left[c] for c in range(3) if c != channel) < 1e-5


def test_scales_are_told_apart() -> None:
    for scales, finest in (((0.0, 1.0, 1.0), True), ((1.0, 1.0, 0.0), False)):
        left = _left(Shares(scales=scales))[..., 1]
        smooth = gaussian_filter(left, 3.6)
        # of white noise, this share of the deviation is wider than the filter
        share = smooth.std() / left.std()
        assert (share < 0.06) if finest else (share > 0.5)


def test_scales_follow_the_frame_not_the_view() -> None:
    fine = [_left(Shares(scales=(0.0, 1.0, 1.0)), step=step).std() for step in (1.0, 3.0)]
    assert fine[1] < 0.6 * fine[0]  # a reduced view has hardly any fine grain left


def test_tones_keep_noise_where_they_are_low() -> None:
    level = np.where(np.arange(200) < 100, 2.0**-9.5, 0.6)[None, :] * np.ones((160, 1))
    dark_kept = _left(Shares(tones=(0.0, 1.0, 1.0)), level)
    plain = _left(Shares(0.0, 1e-6), level)
    assert dark_kept[:, 8:80].std() == pytest.approx(plain[:, 8:80].std(), rel=0.02)
    assert dark_kept[:, 120:].std() < 0.01 * plain[:, 120:].std()
    bright_kept = _left(Shares(tones=(1.0, 1.0, 0.0)), level)
    assert bright_kept[:, 8:80].std() < 0.05 * plain[:, 8:80].std()
    assert bright_kept[:, 120:].std() > 0.8 * plain[:, 120:].std()


def test_texture_comes_back_where_there_is_structure() -> None:
    level = np.full((160, 200), 0.2)
    level[:, 100:] *= 1 + 0.5 * np.sign(np.sin(np.arange(100) * 0.9))[None, :]
    plain, clean = _pair(level)
    given = mix(plain, clean, GAINS, Shares(texture=1.0), NOISE) - clean
    even, structured = given[10:-10, 12:84], given[10:-10, 112:-12]
    assert even.std() < 0.25 * (plain - clean)[10:-10, 12:84].std()
    assert structured[..., 1].std() > 2 * even[..., 1].std()
    # it is brightness that comes back, not colour
    balanced = structured * GAINS
    assert (balanced[..., 0] - balanced[..., 2]).std() < 0.25 * balanced.mean(axis=2).std()


@pytest.mark.parametrize(
    "shares", [Shares(scales=(0.2, 1.0, 0.7)), Shares(tones=(0.3, 1.0, 0.5)), Shares(0.7, 0.9, texture=0.6)]
)
def test_strips_do_not_show(shares: Shares, monkeypatch: pytest.MonkeyPatch) -> None:
    plain, clean = _pair(np.linspace(0.001, 0.8, 200)[None, :], (400, 200))
    clean[100:300, 60:140] *= 1.3
    plain[100:300, 60:140] *= 1.3
    made = []
    for cores in (1, 3):
        monkeypatch.setattr(threads, "CORES", cores)
        made.append(mix(plain, clean, GAINS, shares, NOISE))
    np.testing.assert_allclose(*made, atol=2e-5)


def test_settings_become_shares() -> None:
    assert noise_shares(Noise(), 100.0).is_all
    assert noise_shares(Noise(), 150.0).is_all
    assert noise_shares(Noise(), 0.0).is_nothing
    assert noise_shares(replace(Noise(), red=0, green=0, blue=0), 100.0).is_nothing
    halves = noise_shares(replace(Noise(), luminance=50, shadows=20, coarse=40, blue=70, texture=30), 50.0)
    assert (halves.luminance, halves.colour) == (0.25, 0.5)
    assert (halves.tones[0], halves.scales[2], halves.channels[2], halves.texture) == (0.2, 0.4, 0.7, 0.3)


def test_a_view_of_a_part_mixes_as_the_whole_does() -> None:
    camera = shots.photograph("astronaut.png", reduced=False)[:300, :360] * shots.NEUTRAL.astype(np.float32)
    developed = develop(shots.loaded(np.ascontiguousarray(camera), 6400), Settings().sensor)
    smooth = gaussian_filter(developed.plain.read_all(), (2, 2, 0))
    made = replace(developed, denoised=type(developed.plain)(smooth), removal=Removal(1.0))
    context = make_context(made)
    wished = Settings().with_value("noise.amount", 100.0)
    for path, value in (
        ("noise.fine", 30.0),
        ("noise.shadows", 40.0),
        ("noise.texture", 50.0),
        ("acutance.fine", 40.0),
    ):
        wished = wished.with_value(path, value)
    assert around(wished, DEBLURRED) > 0
    whole = render_view(made, wished, context, OutputRegion(0, 0, 300, 360)).pixels.astype(int)
    part = render_view(made, wished, context, OutputRegion(90, 110, 210, 240)).pixels.astype(int)
    assert np.abs(part - whole[90:210, 110:240]).max() <= 1
    # a larger piece of denoised pixels stands in for the whole picture
    bare = replace(made, denoised=None, removal=Removal())
    clean = made.denoised.read(OutputRegion(50, 60, 260, 300))
    local = mixed_patch(bare, wished, context, OutputRegion(90, 110, 210, 240), clean)
    usual = mixed_patch(made, wished, context, OutputRegion(90, 110, 210, 240))
    np.testing.assert_allclose(local.pixels, usual.pixels, atol=1e-6)
