"""Light and acutance: units, monotony, halos, limits."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irvane.core.acutance.sharpen import sharpen
from irvane.core.image import LUMA_2020
from irvane.core.light.guide import make_guide
from irvane.core.light.tone import Operator, apply_operator, apply_tone, tonal_shift
from irvane.core.settings import Acutance, Light


def _tone(picture: np.ndarray, light: Light) -> np.ndarray:
    guide = make_guide(picture, picture.shape[:2])
    return apply_tone(picture, light, guide, 0, 0, 1.0)


def _grey(values: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(np.repeat(values[..., None], 3, axis=2), np.float32)


def test_exposure_is_a_factor_of_two_per_stop() -> None:
    picture = np.random.default_rng(0).uniform(0, 2, (8, 9, 3)).astype(np.float32)
    for ev in (-10.0, -2.0, 0.5, 10.0):
        assert np.allclose(_tone(picture, Light(exposure=ev)), picture * 2.0**ev, rtol=1e-5)


def test_neutral_settings_touch_nothing() -> None:
    picture = np.random.default_rng(0).uniform(0, 2, (8, 9, 3)).astype(np.float32)
    assert _tone(picture, Light()) is picture


def test_contrast_keeps_mid_grey_and_hue() -> None:
    grey = _grey(np.full((4, 4), 0.18, np.float32))
    assert np.allclose(_tone(grey, Light(contrast=60)), grey, rtol=1e-4)
    picture = np.random.default_rng(0).uniform(0.02, 1, (8, 9, 3)).astype(np.float32)
    changed = _tone(picture, Light(contrast=60))
    assert np.allclose(
        changed / changed.sum(axis=2, keepdims=True), picture / picture.sum(axis=2, keepdims=True), rtol=1e-4
    )


@settings(max_examples=60, deadline=None)
@given(st.floats(-4, 5), st.floats(-3, 3), st.floats(-2, 2))
def test_recovery_never_turns_a_gradient_round(shadows: float, highlights: float, midtones: float) -> None:
    base = np.linspace(-14, 8, 4000)
    assert (np.diff(base + tonal_shift(base, shadows, highlights, midtones)) > -1e-9).all()


@pytest.mark.parametrize("midtones", [-2.0, 1.0])
def test_midtones_move_the_middle_and_leave_the_ends(midtones: float) -> None:
    values = np.exp2(np.array([-9.0, 0.0, 7.0], np.float32)) * 0.18
    picture = _grey(np.repeat(np.repeat(values, 200)[None], 300, axis=0))
    moved = np.log2(_tone(picture, Light(midtones=midtones)) / picture)[150, 100::200, 0]
    expected = [tonal_shift(np.array(ev), 0, 0, midtones) for ev in (-9.0, 0.0, 7.0)]
    assert np.allclose(moved, expected, atol=0.02)
    assert moved[1] == pytest.approx(midtones, abs=0.02)
    assert abs(moved[0]) < 0.01 and abs(moved[2]) < 0.01


def test_shadows_lift_dark_places_and_leave_bright_ones() -> None:
    values = np.full((300, 400), 0.006, np.float32)
    values[:, 200:] = 1.0
    result = _tone(_grey(values), Light(shadows=3))
    lifted = np.log2(result[150, 60, 0] / values[150, 60])
    assert 1.8 < lifted <= 3.0
    assert result[150, 340, 0] == pytest.approx(1.0, rel=0.03)


@pytest.mark.parametrize("width", [0, 1, 2, 4, 8])
def test_no_halo_beside_a_six_stop_edge(width: int) -> None:
    # overshoot within the plateaus, in the linear output, at full recovery of both ends
    x = np.arange(800, dtype=np.float32)
    edge = np.clip((x - 400) / max(width, 1), 0, 1) if width else (x >= 400).astype(np.float32)
    values = np.broadcast_to(0.02 * 2.0 ** (6 * edge), (500, 800)).astype(np.float32)
    result = _tone(_grey(values), Light(shadows=5, highlights=-3))[250, :, 0]
    dark, bright = np.median(result[:60]), np.median(result[-60:])
    assert result[:400].min() > 0.97 * dark
    assert result[400 + width :].max() < 1.03 * bright


@pytest.mark.parametrize("width", [0, 2, 8])
def test_the_local_operator_squeezes_whole_areas_without_halos_and_in_order(width: int) -> None:
    x = np.arange(900, dtype=np.float32)
    stairs = sum(np.clip((x - at) / max(width, 1), 0, 1) if width else (x >= at) for at in (225, 450, 675))
    values = np.broadcast_to(0.002 * 2.0 ** (4.5 * stairs), (500, 900)).astype(np.float32)
    result = _tone(_grey(values), Light(tone_map="local"))[250, :, 0]
    levels = [float(np.median(result[k * 225 + 60 : k * 225 + 165])) for k in range(4)]
    assert levels == sorted(levels)
    span = np.log2(levels[3] / levels[0])
    assert 7 < span < 11.5, "13.5 stops are brought to about nine"
    for k, level in enumerate(levels):
        part = result[k * 225 + (width if k else 0) : (k + 1) * 225]
        assert part.min() > 0.96 * level and part.max() < 1.04 * level
    plain = _tone(_grey(values), Light(tone_map="local", tone_strength=0))[250, :, 0]
    np.testing.assert_allclose(plain, values[250], rtol=1e-5)


def test_the_local_operator_keeps_detail_and_never_turns_a_gradient_round() -> None:
    ramp = np.broadcast_to(np.exp2(np.linspace(-12, 4, 1200, dtype=np.float32)) * 0.18, (400, 1200))
    result = _tone(_grey(ramp), Light(tone_map="local", shadows=3, highlights=-2))[200, :, 0]
    assert (np.diff(result) > 0).all()
    rng = np.random.default_rng(0)
    texture = np.exp2(cv2.GaussianBlur(rng.normal(0, 1, (400, 600)).astype(np.float32), (0, 0), 1.0) * 0.4)
    base = np.where(np.arange(600)[None] < 300, 0.004, 2.0).astype(np.float32)
    made = np.log2(
        _tone(_grey((texture * base).astype(np.float32)), Light(tone_map="local"))[100:-100, 40:200, 0]
    )
    before = np.log2(texture * base)[100:-100, 40:200]
    assert np.std(made - made.mean()) > 0.85 * np.std(before - before.mean()), "detail is not squeezed"


def test_black_point_deepens_only_the_deepest() -> None:
    ramp = _grey(np.exp2(np.linspace(-14, 3, 256, dtype=np.float32))[None] * 0.18)
    result = _tone(ramp, Light(black=3))
    assert (np.diff(result[0, :, 0]) >= 0).all()
    assert result[0, 40, 0] < 0.5 * ramp[0, 40, 0]
    assert result[0, -1, 0] == pytest.approx(ramp[0, -1, 0], rel=0.02)


def test_photographic_operator_is_reinhards_curve() -> None:
    # Reinhard et al. 2002, equation 4, on the largest colour; the base rendering then shows what it says
    from irvane.core.colour.rendering import render

    values = np.exp2(np.linspace(-8, 8, 300, dtype=np.float32))[None] * 0.18
    picture = _grey(np.repeat(values, 40, axis=0))
    guide = make_guide(picture, picture.shape[:2])
    light = Light(tone_map="photographic")
    operator = Operator.for_scene(light, guide)
    scaled = values[0] * operator.scale
    expected = scaled * (1 + scaled / operator.white**2) / (1 + scaled)
    # near white the base rendering pales and ends; compare below
    shown = render(apply_operator(picture, light, guide, 4.0))[20, :, 0]
    below = expected < 0.95
    assert np.allclose(shown[below], expected[below], atol=2e-3)
    assert (np.diff(shown) >= -1e-6).all()


def test_operator_keeps_dark_scenes_darker_than_bright_ones() -> None:
    rng = np.random.default_rng(0)
    field = cv2.GaussianBlur(rng.normal(0, 1, (200, 300)).astype(np.float32), (0, 0), 3) * 8
    dark = np.where(rng.random((200, 300)) < 0.03, 5.0, field - 4)
    bright = np.where(rng.random((200, 300)) < 0.03, -8.0, field + 2)
    means = []
    for stops in (dark, bright):
        picture = _grey((0.18 * np.exp2(stops)).astype(np.float32))
        light = Light(tone_map="photographic")
        means.append(float(np.median(apply_operator(picture, light, make_guide(picture, (200, 300)), 4.0))))
    assert means[0] < 0.18 < means[1]


def _edge() -> np.ndarray:
    x = np.arange(120, dtype=np.float32)
    return _grey(np.broadcast_to(0.1 + 0.4 / (1 + np.exp(-(x - 60) / 1.5)), (60, 120)).astype(np.float32))


def test_sharpening_steepens_an_edge_and_stays_within_the_overshoot() -> None:
    picture = _edge()
    soft = np.abs(np.diff(picture[30, :, 0])).max()
    hard = sharpen(picture, Acutance(fine=100, medium=100, overshoot=0), (0.0, 1e-9), 1.0)
    assert np.abs(np.diff(hard[30, :, 0])).max() > 1.1 * soft
    assert hard.max() <= picture.max() * 1.001
    assert hard.min() >= picture.min() * 0.999


def test_nothing_below_the_noise_floor_is_sharpened() -> None:
    rng = np.random.default_rng(3)
    sigma = 0.004
    flat = _grey((0.2 + rng.normal(0, sigma, (160, 160))).astype(np.float32))
    noise = (0.0, sigma**2)
    held = sharpen(flat, Acutance(fine=150, noise_floor=4, overshoot=100), noise, 1.0)
    free = sharpen(flat, Acutance(fine=150, noise_floor=0, overshoot=100), noise, 1.0)
    level = (flat @ LUMA_2020).std()
    assert (held @ LUMA_2020).std() < 1.3 * level
    assert (free @ LUMA_2020).std() > 1.6 * level


def test_sharpening_switched_off_touches_nothing() -> None:
    picture = _edge()
    assert sharpen(picture, Acutance(), (0.0, 1e-6), 1.0) is picture


@pytest.mark.parametrize("band", ["fine", "medium", "coarse"])
@pytest.mark.parametrize("step", [1.0, 2.0, 6.0])
def test_a_band_alone_is_what_it_is_beside_others(band: str, step: float) -> None:
    """Blurs that no band needs are left out: that must not show."""
    picture = np.random.default_rng(4).uniform(0.05, 0.6, (60, 70, 3)).astype(np.float32)
    others = {name: 1e-6 for name in ("fine", "medium", "coarse") if name != band}
    alone = sharpen(picture, Acutance(**{band: 80.0}), (0.0, 1e-9), step)
    beside = sharpen(picture, Acutance(**{band: 80.0}, **others), (0.0, 1e-9), step)
    np.testing.assert_allclose(alone, beside, rtol=1e-5)
