"""Final grain: even, colourless, fixed to the frame."""

from __future__ import annotations

import numpy as np
import pytest
import shots
from scipy.ndimage import gaussian_filter

from irvane.core.line.bands import Output, finished_bands
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.view import render_view
from irvane.core.noise.grain import add_grain, grain_pattern
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings


@pytest.mark.parametrize("size", [0.5, 1.5, 4.0])
def test_grain_is_even_noise_without_a_pattern(size: float) -> None:
    pattern = grain_pattern((512, 512), 0, 0, 1.0, size)
    assert pattern.std() == pytest.approx(1, rel=0.05)
    assert abs(pattern.mean()) < 0.02
    spectrum = np.abs(np.fft.fft2(pattern)) ** 2
    spectrum[0, 0] = 0
    assert spectrum.max() / spectrum.sum() < 0.003  # no wave stands out
    # larger grains survive a blur that small ones do not
    assert (gaussian_filter(pattern, 2).std() > 0.4) == (size == 4.0)


def test_grain_belongs_to_the_frame() -> None:
    whole = grain_pattern((300, 400), 0, 0, 1.0, 2.0)
    part = grain_pattern((90, 70), 110, 205, 1.0, 2.0)
    np.testing.assert_allclose(part, whole[110:200, 205:275], atol=1e-5)
    assert grain_pattern((100, 100), 0, 0, 4.0, 1.0).std() < 0.3  # a reduced view has averaged it away


def test_grain_has_no_colour_and_spares_the_ends() -> None:
    ramp = np.repeat(np.tile(np.linspace(0, 1, 256, dtype=np.float32), (256, 1))[..., None], 3, 2)
    grained = add_grain(ramp, 1.0, 1.0, 0, 0, 1.0)
    assert np.ptp(grained, axis=2).max() < 1e-6
    assert grained.min() >= 0 and grained.max() <= 1
    change = (np.sqrt(grained) - np.sqrt(ramp))[..., 1].std(axis=0)
    assert change[0] == 0 and change[-1] < 0.002
    assert change[60:70].mean() == pytest.approx(0.08, rel=0.15)
    assert np.abs((np.sqrt(grained) - np.sqrt(ramp)).mean()) < 0.002
    assert add_grain(ramp, 0.0, 1.0, 0, 0, 1.0) is ramp


def test_views_and_files_show_the_same_grain() -> None:
    camera = shots.photograph("astronaut.png", reduced=False)[:300, :360] * shots.NEUTRAL.astype(np.float32)
    developed = develop(shots.loaded(np.ascontiguousarray(camera), 100), Settings().sensor)
    context = make_context(developed)
    settings = Settings().with_value("noise.grain", 60.0).with_value("noise.amount", 0.0)
    whole = np.concatenate([b for _, b in finished_bands(developed, settings, context, Output(), 8)]).astype(
        int
    )
    part = (
        render_view(developed, settings, context, OutputRegion(90, 110, 210, 240)).pixels[..., :3].astype(int)
    )
    assert np.abs(part - whole[90:210, 110:240]).max() <= 1
    plain = render_view(
        developed, settings.with_value("noise.grain", 0.0), context, OutputRegion(90, 110, 210, 240)
    )
    assert np.abs(part - plain.pixels[..., :3]).mean() > 2
