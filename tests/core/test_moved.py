"""A moved view shows the very pixels that it would show rendered anew."""

from __future__ import annotations

import numpy as np
import pytest
import shots
from test_view import BUSY, _settings

from irvane.core.line.clip_flags import Limits
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop, quick
from irvane.core.line.incremental import LastView
from irvane.core.line.looks import render_look
from irvane.core.line.view import Rendered
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

FIRST = OutputRegion(100, 120, 300, 360)


@pytest.fixture(scope="module")
def rendering():
    camera = shots.photograph("astronaut.png", reduced=False) * shots.NEUTRAL.astype(np.float32) * 1.4
    developed = develop(shots.loaded(np.ascontiguousarray(camera[:396, :504]), iso=400), Settings().sensor)
    context = make_context(developed)
    settings = _settings({**BUSY, "noise.grain": 30})
    asked: list[OutputRegion] = []

    def at(look: str):
        def render(region: OutputRegion) -> Rendered:
            asked.append(region)
            return render_look(
                look, developed, settings, context, region, marks=Limits() if look == "picture" else None
            )

        return render

    return at, asked


@pytest.mark.parametrize("look", ["picture", "luminance", "zones", "removed", "mosaic"])
@pytest.mark.parametrize(
    "move", [(40, 23), (-40, 0), (0, 31), (-50, -70), (96, 36), (150, 0), (0, 0), (90, -100)]
)
def test_a_moved_view_equals_one_rendered_anew(rendering, look: str, move: tuple[int, int]) -> None:
    at, asked = rendering
    render, last = at(look), LastView()
    last.render(1, (render,), FIRST, render)
    region = OutputRegion(
        FIRST.top + move[0], FIRST.left + move[1], FIRST.bottom + move[0], FIRST.right + move[1]
    )
    anew = render(region)
    asked.clear()
    moved = last.render(1, (render,), region, render)
    if (moved.top, moved.left) == (region.top, region.left):
        assert moved.pixels.shape == anew.pixels.shape
    difference = np.abs(moved.pixels.astype(int) - anew.pixels)
    assert difference.max() <= 1 and (difference > 0).mean() < 1e-3
    assert (moved.marks is None) == (anew.marks is None)
    if moved.marks is not None:
        assert np.array_equal(moved.marks, anew.marks)
    rendered = sum((r.bottom - r.top) * (r.right - r.left) for r in asked)
    assert rendered <= 200 * 240
    if max(map(abs, move)) < 90:
        assert rendered < 0.55 * 200 * 240, "what was seen before is not rendered again"


def test_other_settings_other_pixels_and_other_zooms_are_rendered_anew(rendering) -> None:
    at, asked = rendering
    render, part = at("picture"), object()
    for what, parts, step in ((2, (part,), 1.0), (1, (object(),), 1.0), (1, (part,), 2.0)):
        last = LastView()
        last.render(1, (part,), FIRST, render)
        asked.clear()
        region = OutputRegion(FIRST.top, FIRST.left + 10, FIRST.bottom, FIRST.right + 10, step)
        last.render(what, parts, region, render)
        assert asked == [region]


def test_a_view_after_one_at_another_zoom_is_rendered_anew(rendering) -> None:
    at, asked = rendering
    render, last, part = at("picture"), LastView(), object()
    last.render(1, (part,), OutputRegion(0, 0, 396, 504, 2.0), render)
    asked.clear()
    last.render(1, (part,), FIRST, render)
    assert asked == [FIRST]


def test_a_coarse_frame_can_be_moved_too() -> None:
    camera = shots.photograph("coffee.png") * shots.NEUTRAL.astype(np.float32)
    developed = quick(shots.loaded(np.ascontiguousarray(camera[:240, :360])))
    context, settings, last = make_context(developed), Settings(), LastView()

    def render(region: OutputRegion) -> Rendered:
        return render_look("picture", developed, settings, context, region)

    for region in (
        OutputRegion(20, 20, 180, 240),
        OutputRegion(36, 28, 196, 248),
        OutputRegion(30, 40, 190, 260),
    ):
        moved = last.render(1, (developed,), region, render)
        np.testing.assert_array_equal(moved.pixels, render(region).pixels)
