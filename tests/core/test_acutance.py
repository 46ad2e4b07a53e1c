"""Sharpening by itself, what it leaves alone and adds, and where a frame is soft; enlarging's bookkeeping."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
import shots

from irvane.core.acutance.automatic import automatic_strengths
from irvane.core.acutance.blur_cause import Cause
from irvane.core.acutance.blurs import MOTION, Blur
from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.acutance.sharpen import FIRST, sharpen
from irvane.core.finish import job
from irvane.core.judge.edge import edge_figures
from irvane.core.line.acutance_looks import added_words
from irvane.core.line.bands import Output
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.looks import render_look
from irvane.core.line.realise import realise
from irvane.core.line.softness import softness_words
from irvane.core.line.view import remaining_noise, scene_patch, sharpening_in_force
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Acutance, Settings

_AUTOMATIC = Settings().with_value("acutance.automatic", "on")


def _frame(sigma: float, iso: float) -> tuple[Developed, Context]:
    """A photograph with a slanted edge and an even field, softened as a lens does before the sensor."""
    picture = shots.photograph("astronaut.png", reduced=False)
    large = cv2.resize(picture, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    y, x = np.mgrid[:600, :400]
    edge = cv2.GaussianBlur(((x - 200) + 0.1 * (y - 300) > 0).astype(np.float32), (0, 0), 0.7)
    large[100:700, 100:500] = (0.08 + 0.35 * edge)[..., None]
    large[100:300, 700:900] = 0.2
    if sigma:
        large = cv2.GaussianBlur(large, (0, 0), 2 * sigma)
    light = cv2.resize(np.maximum(large, 0), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    return realise(shots.loaded(light * shots.NEUTRAL.astype(np.float32), iso), _AUTOMATIC)


def _luminance(developed: Developed, settings: Settings, context: Context) -> np.ndarray:
    whole = OutputRegion(0, 0, *developed.extent)
    light = trim(scene_patch(developed, settings, context, whole), whole).pixels
    return np.asarray(light @ np.array([0.2627, 0.678, 0.0593], np.float32))


@pytest.mark.parametrize(("sigma", "iso"), [(0.8, 100), (1.1, 800)])
def test_automatic_sharpening_gives_back_what_the_lens_took_without_noise(sigma: float, iso: float) -> None:
    # slanted-edge response after ISO 12233; 1.3 and 1.1 are what is wanted of it here
    developed, context = _frame(sigma, iso)
    plain, sharp = (_luminance(developed, s, context) for s in (Settings(), _AUTOMATIC))
    before, after = (edge_figures(p[70:330, 100:200].copy()) for p in (plain, sharp))
    assert before.mtf50 and after.mtf50 and after.mtf50 > 1.28 * before.mtf50
    assert after.overshoot < 0.08
    assert sharp[60:140, 360:440].std() < 1.15 * plain[60:140, 360:440].std()
    words = sharpening_in_force(_AUTOMATIC, context, remaining_noise(developed, _AUTOMATIC, context, True))[1]
    assert "px soft" in words and "%" in words


def test_what_the_automatic_goes_by() -> None:
    def fine(*args: object) -> float:
        return automatic_strengths(*args).fine  # type: ignore[arg-type]

    assert fine(1.0, None, 60, False) > fine(0.6, None, 60, False) > fine(0.4, None, 60, False) > 0
    assert fine(1.0, None, 10, False) < 0.3 * fine(1.0, None, 60, False), "noise holds it back"
    moved = Cause("motion", 0.9, Blur(MOTION, 9.0, 0.0))
    assert fine(1.0, moved, 60, False) < 0.5 * fine(1.0, None, 60, False)
    assert fine(1.0, None, 60, True) < 20, "what is deblurred is not sharpened once more"
    nothing = automatic_strengths(None, None, 60, False)
    assert nothing.fine == 0 and "too few edges" in nothing.words


def test_texture_as_fine_as_pixels_is_guarded_and_contours_are_not() -> None:
    y, x = np.mgrid[:160, :320]
    picture = np.full((160, 320, 3), 0.18, np.float32)
    fine = 1 + 0.25 * np.sin(np.pi * 0.9 * x + np.pi * 0.8 * y)
    picture[:, :160] *= fine[:, :160, None].astype(np.float32)
    picture[:, 240:] *= 2
    picture[:, 160:] = cv2.GaussianBlur(picture, (0, 0), 1.2)[:, 160:]
    noise = 1e-7, 1e-9

    def change(settings: Acutance) -> tuple[float, float]:
        off = np.abs(sharpen(picture, settings, noise, 1.0) - picture)[..., 1]
        return float(off[40:120, 40:120].mean()), float(off[40:120, 230:250].mean())

    on = replace(Acutance(), fine=100.0)
    texture, edge = change(replace(on, texture_guard=100.0))
    old_texture, old_edge = change(replace(on, sharpened_by=FIRST))
    assert texture < 0.2 * old_texture and edge > 0.9 * old_edge
    assert change(replace(on, texture_guard=0.0)) == pytest.approx((old_texture, old_edge), rel=1e-4)


def test_looks_show_what_was_added_and_what_was_left_alone() -> None:
    developed, context = _frame(0.8, 100)
    whole = OutputRegion(0, 0, *developed.extent)
    sharp = Settings().with_value("acutance.fine", 150.0)
    added = render_look("added", developed, sharp, context, whole).pixels[..., 1].astype(float)
    even, edge = added[60:140, 360:440], added[100:300, 130:170]
    assert abs(even.mean() - 127) < 3 and even.std() < 6 < edge.std()
    by_hand = Settings().with_value("acutance.automatic", "off")
    nothing = render_look("added", developed, by_hand, context, whole).pixels[..., 1]
    assert nothing.std() < 0.5
    alone = render_look("alone", developed, sharp, context, whole).pixels.astype(float)
    stripes = np.abs(alone[..., 2] - alone[..., 0]) > 12
    assert stripes[60:140, 360:440].mean() > 0.4 > stripes[100:300, 147:153].mean()
    assert "left alone: 100 %" not in added_words(np.full((9, 9), 0.01)) and "Nothing" in added_words(
        np.zeros((9, 9))
    )


def test_softness_is_told_by_place() -> None:
    picture = shots.photograph("astronaut.png", reduced=False)
    soft = cv2.GaussianBlur(picture, (0, 0), 2.6)
    half = picture.copy()
    half[:, 256:] = soft[:, 256:]
    developed, context = realise(shots.loaded(half * shots.NEUTRAL.astype(np.float32), 200), _AUTOMATIC)
    assert context.edges is not None
    found = softness_map(context.edges, developed.extent)
    left, right = np.nanmedian(found[:, :3]), np.nanmedian(found[:, -3:])
    assert left < 1.2 and right == pytest.approx(2.6, rel=0.25)
    assert "left" in softness_words(found)
    tinted = render_look("softness", developed, Settings(), context, OutputRegion(0, 0, *developed.extent))
    lemon = tinted.pixels[..., 1].astype(float) - tinted.pixels[..., 2]
    assert np.median(lemon[:, :200]) > 5 > -5 > np.median(lemon[:, -200:])
    assert "too few" in softness_words(np.full((3, 3), np.nan))


def test_the_look_of_an_enlarged_file_has_its_pixels() -> None:
    developed, context = _frame(0.5, 200)
    twice = Settings().with_values({"acutance.automatic": "off", "finish.enlarge": "2"})
    h, w = developed.extent
    part = OutputRegion(100, 140, 220, 300)
    seen = render_look("enlarged", developed, twice, context, part)
    assert seen.pixels.shape[:2] == (240, 320) and (seen.top, seen.right) == (100, 300)
    written = job.assemble(developed, twice, context, Output("srgb"), 8)
    assert written.shape[:2] == (2 * h, 2 * w)
    off = np.abs(seen.pixels[..., :3].astype(int) - written[200:440, 280:600].astype(int))
    assert off.max() <= 4 and off.mean() < 0.6, "but for the rounding of the view to eight bits"
    plain = render_look("picture", developed, twice, context, part).pixels
    reduced = cv2.resize(seen.pixels, (160, 120), interpolation=cv2.INTER_AREA)
    assert np.abs(reduced.astype(int) - plain.astype(int)).mean() < 2
    small = OutputRegion(0, 0, h // 2 * 2, w // 2 * 2, 2.0)
    assert np.array_equal(
        render_look("enlarged", developed, twice, context, small).pixels,
        render_look("picture", developed, twice, context, small).pixels,
    ), "reduced views stay"
