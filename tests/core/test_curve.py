"""Curves through points, roll-off, local contrast by scale."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from irvane.core.errors import SettingError
from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.light.curve import apply_curves, apply_roll_off, curve_shift, rolled_off
from irvane.core.light.guide import make_guide
from irvane.core.light.tone import apply_tone
from irvane.core.settings import Light, Settings, value_text

POINTS = ((-6.0, -7.0), (-1.0, -0.6), (3.0, 2.5))


def _ramp(low: float = -9, high: float = 6, count: int = 400) -> np.ndarray:
    values = np.exp2(np.linspace(low, high, count, dtype=np.float32)) * np.float32(MID_GREY)
    return np.ascontiguousarray(np.repeat(values[None, :, None], 3, axis=2))


def _stops(picture: np.ndarray) -> np.ndarray:
    return np.log2(picture[0, :, 0] / MID_GREY)


def test_a_curve_is_the_monotonic_cubic_of_scipy() -> None:
    levels = np.linspace(-6, 3, 50)
    expected = PchipInterpolator(*map(np.array, zip(*POINTS, strict=True)))(levels)
    assert np.allclose(levels + curve_shift(POINTS, levels), expected)
    shown = _stops(apply_curves(_ramp(-6, 3, 50), Light(curve=POINTS)))
    assert np.allclose(shown, expected, atol=0.01)


def test_beyond_its_points_a_curve_shifts_and_keeps_every_step_of_light() -> None:
    shown = _stops(apply_curves(_ramp(4, 7, 30), Light(curve=POINTS)))
    assert np.allclose(shown, np.linspace(4, 7, 30) - 0.5, atol=0.01)


@given(st.lists(st.tuples(st.floats(-12, 8), st.floats(-12, 8)), min_size=1, max_size=8))
def test_no_curve_turns_a_gradient_round(pairs: list[tuple[float, float]]) -> None:
    xs = sorted({round(x, 1) for x, _ in pairs})
    ys = sorted(y for _, y in pairs)[: len(xs)]
    settings = Settings().with_value("light.curve", tuple(zip(xs, ys, strict=True)))
    levels = np.linspace(-14, 10, 500)
    assert (np.diff(levels + curve_shift(settings.light.curve, levels)) > -1e-9).all()


def test_the_common_curve_keeps_colour_and_those_of_channels_change_it() -> None:
    picture = np.random.default_rng(0).uniform(0.02, 0.9, (9, 7, 3)).astype(np.float32)
    changed = apply_curves(picture, Light(curve=POINTS))
    ratio = changed / picture
    assert np.ptp(ratio, axis=2).max() < 1e-4 and np.ptp(ratio) > 0.1
    warm = apply_curves(picture, Light(curve_red=((0.0, 0.5),), curve_blue=((0.0, -0.5),)))
    assert np.allclose(np.log2(warm / picture), [0.5, 0, -0.5], atol=1e-3)


def test_negative_light_stays_negative() -> None:
    picture = np.array([[[-0.01, 0.2, 0.1], [-0.01, -0.02, -0.01]]], np.float32)
    light = Light(curve=POINTS, curve_red=POINTS, roll_off=2.0)
    changed = apply_roll_off(apply_curves(picture, light), light.roll_off, 4.0)
    assert np.isfinite(changed).all()
    assert ((changed < 0) == (picture < 0)).all()


@pytest.mark.parametrize("stops", [0.5, 2.0, 6.0])
@pytest.mark.parametrize("white", [2.47, 4.0, 6.0])
def test_roll_off_makes_room_above_white_and_leaves_the_rest(stops: float, white: float) -> None:
    levels = np.linspace(-8, white + stops, 300)
    picture = _ramp(-8, white + stops, 300)
    shown = _stops(apply_roll_off(picture, stops, white))
    assert np.allclose(shown, rolled_off(levels, stops, white), atol=2e-3)
    assert shown[-1] == pytest.approx(white, abs=2e-3)
    assert (np.diff(shown) > 0).all()
    below = levels < white - 2
    assert np.allclose(shown[below], levels[below], atol=1e-4)
    assert np.abs(np.diff(shown, 2)).max() < 0.01, "no kink where it begins"


def test_roll_off_keeps_hue() -> None:
    picture = np.array([[[6.0, 1.5, 0.4]]], np.float32)
    rolled = apply_roll_off(picture, 2.0, 4.0)
    assert np.allclose(rolled / rolled.sum(), picture / picture.sum(), atol=1e-4)
    assert apply_roll_off(picture, 0.0, 4.0) is picture


def _texture(wave: float, depth: float = 0.25) -> np.ndarray:
    """Ripples of a wavelength (pixels) on a frame of 600×900, depth in EV."""
    x = np.arange(900)
    stops = depth * np.sin(2 * np.pi * x / wave) + 0.0 * np.arange(600)[:, None]
    return np.repeat((MID_GREY * np.exp2(stops)).astype(np.float32)[..., None], 3, axis=2)


def _depth(picture: np.ndarray) -> float:
    inner = np.log2((picture @ LUMA_2020)[200:400, 200:700])
    return float(inner.std() * 2**0.5)


@pytest.mark.parametrize(("scale", "own", "other"), [("local_small", 6.0, 200.0), ("local_large", 40.0, 6.0)])
def test_local_contrast_acts_on_its_own_scale_and_both_ways(scale: str, own: float, other: float) -> None:
    depths = {}
    for amount in (-100, 100):
        for wave in (own, other):
            picture = _texture(wave)
            guide = make_guide(picture, picture.shape[:2])
            changed = apply_tone(picture, Light(**{scale: amount}), guide, 0, 0, 1.0)
            depths[amount, wave] = _depth(changed) / 0.25
    assert depths[100, own] > 1.4 and depths[-100, own] < 0.6
    assert depths[100, other] < 1.2 and depths[-100, other] > 0.8


def test_local_contrast_makes_no_halo_beside_a_strong_edge() -> None:
    stops = np.where(np.arange(900) < 450, -3.0, 3.0) + 0 * np.arange(600)[:, None]
    picture = np.repeat((MID_GREY * np.exp2(stops)).astype(np.float32)[..., None], 3, axis=2)
    guide = make_guide(picture, picture.shape[:2])
    changed = apply_tone(picture, Light(local_small=100, local_large=100), guide, 0, 0, 1.0)
    assert np.abs(np.log2(changed / picture)).max() < np.log2(1.05)


def test_points_are_checked_and_read_from_text_and_json() -> None:
    settings = Settings().with_value("light.curve", "-6:-7, -1:-0.6, 3:2.5")
    assert settings.light.curve == POINTS
    assert Settings.from_dict({"light": {"curve": [[-6, -7], [-1, -0.6], [3, 2.5]]}}).light.curve == POINTS
    assert settings.with_value("light.curve", "none").light.curve == ()
    assert value_text("light.curve", POINTS) == "3 points" and value_text("light.curve", ()) == "straight"
    for wrong in (
        "1:2,0:3",
        "0:1,1:0",
        "0",
        "a:b",
        "0:99",
        3,
        ((0, float("nan")),),
        [(k / 10, 1) for k in range(13)],
    ):
        with pytest.raises(SettingError, match="points IN:OUT"):
            settings.with_value("light.curve", wrong)
