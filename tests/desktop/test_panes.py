"""Parts of the bench on their own: geometry, probe, captions, pictures."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, QRectF, QSize
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from irvane.core.files.info import FrameInfo
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.histogram import stop_histogram
from irvane.core.judge.matching import Match
from irvane.core.judge.readings import Figure
from irvane.core.judge.rows import ROWS
from irvane.core.line.source import FileSource
from irvane.core.regions.region import LocalRegion, Part
from irvane.core.settings import Settings
from irvane.desktop.bench.caption import Caption, difference_text
from irvane.desktop.bench.content import Content, image_of
from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.table import difference_words, figure_words
from irvane.desktop.bench.viewport import ZOOMS, Viewport
from irvane.desktop.item import Item

from .conftest import session_of

EXTENT, SIZE = (2000, 3000), QSize(580, 560)

# the viewport


def test_fit_shows_the_whole_frame_centred() -> None:
    port = Viewport()
    scale = port.scale(EXTENT, SIZE)
    assert scale == pytest.approx(580 / 3000)
    whole = port.to_view(QRectF(0, 0, 3000, 2000), EXTENT, SIZE)
    assert whole.center().x() == pytest.approx(290)
    assert whole.center().y() == pytest.approx(280)
    region = port.region(EXTENT, SIZE)
    assert (region.top, region.left, region.bottom, region.right) == (0, 0, 2000, 3000)
    assert region.step == pytest.approx(3000 / 580)


@settings(max_examples=80)
@given(st.sampled_from(ZOOMS), st.floats(0, 1), st.floats(0, 1), st.floats(0, 580), st.floats(0, 560))
def test_view_and_frame_positions_are_inverse(zoom: float, u: float, v: float, x: float, y: float) -> None:
    port = Viewport()
    port.zoom, port.centre = zoom, (u, v)
    there = port.to_frame(QPointF(x, y), EXTENT, SIZE)
    back = port.to_view(QRectF(there.x(), there.y(), 0, 0), EXTENT, SIZE)
    assert (back.x(), back.y()) == pytest.approx((x, y), abs=1e-6)
    region = port.region(EXTENT, SIZE)
    assert 0 <= region.top < region.bottom <= EXTENT[0]
    assert 0 <= region.left < region.right <= EXTENT[1]
    assert region.step == max(1.0, 1 / zoom)


@settings(max_examples=60)
@given(st.floats(100, 480), st.floats(100, 460))
def test_zooming_keeps_the_place_under_the_pointer(x: float, y: float) -> None:
    port = Viewport()
    port.zoom, port.centre = 1.0, (0.5, 0.5)
    before = port.to_frame(QPointF(x, y), EXTENT, SIZE)
    port.set_zoom(4.0, EXTENT, SIZE, QPointF(x, y))
    after = port.to_frame(QPointF(x, y), EXTENT, SIZE)
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()), abs=0.5)


def test_zoom_steps_go_from_fit_to_eight_hundred_and_back() -> None:
    port = Viewport()
    seen = []
    for _ in range(len(ZOOMS) + 2):
        port.step(1, EXTENT, SIZE)
        seen.append(port.zoom)
    assert seen[: len(ZOOMS)] == list(ZOOMS)
    assert seen[-1] == 8.0
    for _ in range(len(ZOOMS) + 2):
        port.step(-1, EXTENT, SIZE)
    assert port.zoom is None


def test_panning_stops_at_the_rim() -> None:
    port = Viewport()
    port.set_zoom(1.0, EXTENT, SIZE)
    port.pan(100_000, 100_000, EXTENT, SIZE)
    assert port.origin(EXTENT, SIZE) == QPointF(0, 0)
    port.pan(-100_000, -100_000, EXTENT, SIZE)
    assert port.origin(EXTENT, SIZE) == QPointF(3000 - 580, 2000 - 560)


def test_small_pictures_are_enlarged_to_fit_but_not_beyond_eight_hundred() -> None:
    assert Viewport.fit_scale((10, 10), SIZE) == 8.0
    assert Viewport.fit_scale((280, 290), SIZE) == pytest.approx(2.0)


# panes and captions


def test_the_probe_lies_at_the_same_place_of_every_frame(qtbot: QtBot) -> None:
    session = session_of()
    panes = Panes(session, Viewport(), lambda _pane: SIZE)
    panes.contents[0].extent, panes.contents[1].extent = (2000, 3000), (4000, 6000)
    panes.change(probe=(0.25, 0.75))
    a, b = panes.probe_region(0), panes.probe_region(1)
    assert (a.left + a.right) / 2 / 3000 == pytest.approx((b.left + b.right) / 2 / 6000, abs=0.001)
    assert a.right - a.left == a.bottom - a.top == 64
    panes.change(probe=(1.0, 1.0))
    a = panes.probe_region(0)
    assert (a.right, a.bottom) == (3000, 2000)
    panes.contents[0].extent = (10, 12)
    assert panes.probe_region(0).right <= 12
    assert panes.item(0) is None
    assert panes.settings(0) is None


def _whole(clipped: float) -> WholeFigures:
    return WholeFigures(stop_histogram(np.full((4, 4, 3), 0.2, np.float32)), clipped, 0.0, 0.0)


def test_captions_say_what_differs_first_things_first(qtbot: QtBot) -> None:
    a = (
        Settings()
        .with_value("sensor.defects", "off")
        .with_value("light.exposure", 1.7)
        .with_value("noise.amount", 50)
    )
    assert difference_text(a, Settings()) == "Exposure +1.70 EV, Amount 50 %, Hot pixels leave"
    a = a.with_value("light.shadows", 2).with_value("colour.tint", 4)
    assert difference_text(a, Settings()).endswith("and 2 more")
    assert "same settings" in difference_text(a, a)
    idle = LocalRegion("sky", (Part("linear", (0.5, 0.2, 0.5, 0.8)),))
    assert "same settings" in difference_text(a.with_regions([idle]), a), (
        "a region without changes is none yet"
    )
    acting = replace(idle, changes=(("light.exposure", 1.0),))
    assert difference_text(a.with_regions([acting]), a) == "1 region"
    assert difference_text(a, a.with_regions([acting])) == "no regions"
    caption = Caption()
    qtbot.addWidget(caption)
    item = Item(0, FileSource(Path("/nowhere/a very long name of a frame indeed.dng")), ready=True)
    item.info = FrameInfo(shutter=1 / 60, aperture=4.0, iso=6400, taken=datetime(2026, 1, 1))
    content = Content(item=0)
    caption.show_content("A", content, item, Settings().with_value("light.exposure", 1))
    name, exposure, difference, lies = caption.full_texts()
    assert name == "a very long name of a frame indeed.dng"
    assert exposure == "DNG · 1/60 s · f/4 · ISO 6400"
    assert difference == "Exposure 0.00 EV"
    assert lies == ""
    content.match = Match(offset=-0.5)
    content.notes = ("Two frames.",)
    caption.show_content("A", content, item, Settings())
    assert caption.full_texts()[3] == "Two frames · matched: brightness −0.50 EV"
    caption.show_content("A", content, None, None)
    assert caption.full_texts()[0] == ""
    assert not caption.proof.isVisibleTo(caption)


def test_figures_in_words() -> None:
    noise, shown = ROWS["noise"], Figure(38.23, 0.2, difference=9.17, alike=False)
    assert (figure_words(noise, shown), difference_words(noise, shown)) == ("38.2", "+9.2")
    assert difference_words(noise, replace(shown, alike=True)) == "alike"
    assert figure_words(noise, replace(shown, expected=True)) == "≈ 38.2"
    assert (
        figure_words(noise, None) == "–" and figure_words(noise, Figure(None, words="clipped")) == "clipped"
    )
    assert figure_words(ROWS["texture"], Figure(0.876)) == "88"
    assert ROWS["light"].difference(-0.01) == "±0" and ROWS["light"].text(-1.26) == "−1.3"
    assert noise.title == "Noise, dB" and ROWS["visual"].title == "Visual noise"


def test_images_own_their_pixels() -> None:
    pixels = np.random.default_rng(0).integers(0, 255, (7, 13, 3)).astype(np.uint8)
    image = image_of(pixels)
    expected = pixels.copy()
    pixels[:] = 0
    assert image.format() == QImage.Format.Format_RGB888
    for y, x in ((0, 0), (6, 12), (3, 5)):
        colour = image.pixelColor(x, y)
        assert (colour.red(), colour.green(), colour.blue()) == tuple(expected[y, x])
