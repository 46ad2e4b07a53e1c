"""Black put right: what lies evenly over the deepest tones goes, everything else stays in its order."""

from __future__ import annotations

import numpy as np
import shots
from hypothesis import given
from hypothesis import strategies as st

from irvane.core.line.camera import mixed_patch
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.noise.haze import clear_black, measure_haze
from irvane.core.pixels.places import FrameRegion
from irvane.core.settings import Settings

NOISE = shots.noise_of(12800)


def test_haze_is_what_the_darkest_places_hold() -> None:
    picture = np.full((400, 400, 3), 0.2, np.float32)
    haze = np.array([0.3, 0.6, 0.9]) * NOISE.read[0]
    picture[100:140, 100:200] = haze
    np.testing.assert_allclose(measure_haze(picture, NOISE), haze, rtol=1e-4)
    # a frame without darkness has none to speak of, and darkness below black is no light
    assert max(measure_haze(np.full((50, 50, 3), 0.5, np.float32), NOISE)) <= 2 * NOISE.read[0]
    assert measure_haze(np.full((50, 50, 3), -0.01, np.float32), NOISE) == (0.0, 0.0, 0.0)


@given(st.floats(1e-5, 0.02), st.floats(0.05, 1))
def test_tones_stay_in_their_order_and_bright_ones_where_they_were(haze: float, share: float) -> None:
    ramp = np.concatenate([np.linspace(-haze, 20 * haze, 400), np.geomspace(25 * haze, 2, 100)])
    picture = np.repeat(ramp.astype(np.float32)[None, :, None], 3, 2)
    cleared = clear_black(picture, (haze, haze, haze), share)[0, :, 0]
    assert (np.diff(cleared.astype(np.float64)) > -1e-7).all()
    at_haze = float(np.interp(haze, ramp, cleared))
    assert abs(at_haze - haze * (1 - share)) < 0.1 * haze + 1e-6
    np.testing.assert_allclose(cleared[ramp > 24 * haze], picture[0, ramp > 24 * haze, 0], rtol=1e-5)


def test_nothing_to_do_changes_nothing() -> None:
    picture = np.random.default_rng(0).uniform(0, 1, (20, 20, 3)).astype(np.float32)
    assert clear_black(picture, (0.0, 0.0, 0.0), 1.0) is picture
    assert clear_black(picture, (0.01, 0.01, 0.01), 0.0) is picture


def test_the_deepest_tones_of_a_developed_frame_become_black() -> None:
    camera = np.full((240, 300, 3), 0.1, np.float32)
    camera[60:180, 80:220] = 1.5 * NOISE.read[0]
    developed = develop(shots.loaded(camera, 12800), Settings().sensor)
    context = make_context(developed)
    off = Settings().with_value("noise.amount", 0.0)
    region = FrameRegion(0, 0, 240, 300)
    plain = mixed_patch(developed, off, context, region).pixels[80:160, 100:200].mean()
    cleared = mixed_patch(developed, off.with_value("noise.clear_black", 100.0), context, region).pixels
    assert cleared[80:160, 100:200].mean() < plain - 0.5 * NOISE.read[0]
    np.testing.assert_allclose(cleared[:40].mean(), 0.1, rtol=0.02)
