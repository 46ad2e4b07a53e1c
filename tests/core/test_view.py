"""Views and written bands: the same pixels whatever the number of threads, strips and bands."""

from __future__ import annotations

import numpy as np
import pytest
import shots

from irvane.core import threads
from irvane.core.errors import Cancelled
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.bands import Output, finished_bands
from irvane.core.line.camera import Upstream, wanted
from irvane.core.line.context import Context, make_context
from irvane.core.line.develop import Developed, develop
from irvane.core.line.steps import CAMERA, SCENE, around
from irvane.core.line.view import render_view, scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.picture import Picture
from irvane.core.pixels.places import OutputRegion, in_frame
from irvane.core.settings import Settings

BUSY = {
    "noise.amount": 0, "light.exposure": 0.6, "light.shadows": 1.5, "light.highlights": -1.0, "light.contrast": 20,
    "light.black": 0.4, "colour.saturation": 130, "acutance.fine": 60, "acutance.coarse": 30, "lens.vignetting": 0.7,
}  # fmt: skip


def _settings(values: dict[str, float | str]) -> Settings:
    settings = Settings()
    for path, value in values.items():
        settings = settings.with_value(path, value)
    return settings


@pytest.fixture(scope="module")
def frame() -> tuple[Developed, Context]:
    """A developed photograph, some of it clipped."""
    camera = shots.photograph("astronaut.png", reduced=False) * shots.NEUTRAL.astype(np.float32) * 1.4
    developed = develop(shots.loaded(np.ascontiguousarray(camera[:396, :504]), iso=400), Settings().sensor)
    return developed, make_context(developed)


@pytest.mark.parametrize(
    "region",
    [OutputRegion(0, 0, 396, 504), OutputRegion(101, 57, 333, 444), OutputRegion(0, 0, 396, 504, 2.3)],
)
def test_strips_do_not_show(
    frame: tuple[Developed, Context], region: OutputRegion, monkeypatch: pytest.MonkeyPatch
) -> None:
    pictures = []
    for cores in (1, 2, 5):
        monkeypatch.setattr(threads, "CORES", cores)
        pictures.append(render_view(frame[0], _settings(BUSY), frame[1], region).pixels.astype(int))
    for other in pictures[1:]:
        assert np.abs(other - pictures[0]).max() <= 1


def test_bands_cover_the_picture_in_order(frame: tuple[Developed, Context]) -> None:
    settings = _settings(BUSY)
    bands = list(finished_bands(*frame[:1], settings, frame[1], Output(), 16))
    starts = [first for first, _ in bands]
    assert starts == sorted(starts) and starts[0] == 0
    whole = np.concatenate([band for _, band in bands])
    assert whole.shape == (396, 504, 3) and whole.dtype == np.uint16
    view = render_view(frame[0], settings, frame[1], OutputRegion(0, 0, 396, 504)).pixels[..., :3]
    # 16 bits and the 8 bits of the screen: the same picture, rounded
    assert np.abs(whole / 257.0 - view).max() < 1.01


def test_bands_can_be_cancelled(frame: tuple[Developed, Context]) -> None:
    with pytest.raises(Cancelled):
        list(finished_bands(frame[0], Settings(), frame[1], Output(), 8, lambda _share: False))


def test_only_sharpening_needs_pixels_around() -> None:
    assert around(_settings({"light.shadows": 2.0, "acutance.automatic": "off"}), SCENE) == 0
    assert around(_settings({"acutance.medium": 10}), SCENE) > 0
    assert around(_settings({"light.shadows": 2.0}), CAMERA) == 0
    region = OutputRegion(100, 100, 200, 200, 2.0)
    assert wanted(in_frame(region), (1000, 1000), 0) == in_frame(region)
    grown = wanted(in_frame(region), (1000, 1000), 16)
    assert (grown.top, grown.bottom) == (68, 232)


def test_sharpening_at_the_edge_of_a_view_knows_its_surroundings(frame: tuple[Developed, Context]) -> None:
    settings = _settings({"noise.amount": 0, "acutance.fine": 150, "acutance.coarse": 100})
    whole = scene_patch(frame[0], settings, frame[1], OutputRegion(0, 0, 396, 504)).pixels
    part = OutputRegion(120, 200, 180, 300)
    patch = trim(scene_patch(frame[0], settings, frame[1], part), part)
    np.testing.assert_allclose(patch.pixels, whole[120:180, 200:300], atol=2e-5)


def test_matching_brightens_the_view_as_exposure_would(frame: tuple[Developed, Context]) -> None:
    region = OutputRegion(50, 60, 250, 360)
    plain = _settings({"noise.amount": 0})
    lifted = render_view(frame[0], plain, frame[1], region, offset=0.8).pixels
    exposed = render_view(frame[0], plain.with_value("light.exposure", 0.8), frame[1], region).pixels
    assert np.abs(lifted.astype(int) - exposed).max() <= 1


def test_flat_bands_are_the_sensors_light(frame: tuple[Developed, Context]) -> None:
    settings = _settings({"noise.amount": 0})
    bands = finished_bands(frame[0], settings, frame[1], Output("srgb", True, True), 32)
    whole = np.concatenate([band for _, band in bands])
    doubled = finished_bands(
        frame[0], settings.with_value("light.exposure", 1.0), frame[1], Output("srgb", True, True), 32
    )
    np.testing.assert_allclose(np.concatenate([band for _, band in doubled]), 2 * whole, rtol=1e-5, atol=1e-6)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("flip", [0, 6])
def test_bands_of_the_mosaic_do_not_show(cfa: np.ndarray, flip: int, monkeypatch: pytest.MonkeyPatch) -> None:
    camera = shots.photograph("astronaut.png", reduced=False) * shots.NEUTRAL.astype(np.float32)
    loaded = shots.loaded(np.ascontiguousarray(camera[:397, :501]), 800, cfa, flip)
    settings = Settings().with_value("sensor.false_colour", 60.0).sensor
    whole = develop(loaded, settings).plain
    monkeypatch.setattr("irvane.core.line.develop._BAND", 84)
    monkeypatch.setattr("irvane.core.pixels.picture._BAND", 64)
    banded = develop(loaded, settings).plain
    assert np.abs(whole.read_all() - banded.read_all()).max() < 2e-4


def test_levels_are_means_of_the_picture(monkeypatch: pytest.MonkeyPatch) -> None:
    pixels = np.random.default_rng(0).uniform(0, 1, (1401, 1503, 3)).astype(np.float32)
    picture = Picture(pixels)
    monkeypatch.setattr("irvane.core.pixels.picture._BAND", 100)
    for made in (picture, Picture.from_codes(picture.codes)):
        half = made.read(OutputRegion(0, 0, 1400, 1502, 2.0)).pixels
        expected = pixels[:1400, :1502].reshape(700, 2, 751, 2, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(half, expected, atol=3e-4)


def test_what_a_view_begins_with_is_made_once(frame) -> None:
    developed, context = frame
    region, upstream = OutputRegion(0, 0, 200, 300), Upstream()
    settings = _settings(
        {
            **BUSY,
            "acutance.automatic": "off",
            "acutance.fine": 0.0,
            "acutance.medium": 0.0,
            "acutance.coarse": 0.0,
        }
    )
    first = upstream.light(developed, settings, context, region, None)
    brighter = settings.with_value("light.exposure", 1.3).with_value("colour.saturation", 150)
    assert upstream.light(developed, brighter, context, region, None) is first
    seen = render_view(developed, brighter, context, region, upstream=upstream).pixels
    np.testing.assert_array_equal(seen, render_view(developed, brighter, context, region).pixels)
    for path, value in (("sensor.highlights", "clip"), ("noise.fine", 40.0), ("acutance.fine", 60.0)):
        changed = settings.with_value(path, value)
        assert upstream.light(developed, changed, context, region, None) is not first
        anew = render_view(developed, changed, context, region).pixels
        np.testing.assert_array_equal(
            render_view(developed, changed, context, region, upstream=upstream).pixels, anew
        )
    moved = upstream.light(developed, settings, context, OutputRegion(8, 0, 208, 300), None)
    assert moved.top == 8
