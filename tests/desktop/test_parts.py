"""Parts of the window on their own: geometry, session and undo, captions, rows, controls, plots."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter
from pytestqt.qtbot import QtBot

from irvane.core.errors import SettingError, WriteError
from irvane.core.files.info import FrameInfo
from irvane.core.files.sets import Bracket
from irvane.core.files.sidecar import Proof
from irvane.core.files.thumbnails import SMALL, Preview
from irvane.core.image import NoiseModel
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.histogram import stop_histogram
from irvane.core.judge.probe import read_probe
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource
from irvane.core.settings import STATIONS, Settings
from irvane.desktop import theme
from irvane.desktop.bench.caption import Caption, difference_text, figures_text, share_text
from irvane.desktop.bench.content import Content, image_of
from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.viewport import ZOOMS, Viewport
from irvane.desktop.line.band import Band
from irvane.desktop.line.controls import ChoiceRow, NumberRow
from irvane.desktop.line.plots import Plot
from irvane.desktop.line.words import station_words
from irvane.desktop.rail.model import RailModel, bracket_words
from irvane.desktop.session import BARE, Item, Session
from irvane.desktop.writing.target import default_folder, free_name, target_for

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


# the session


def _session(count: int = 3) -> Session:
    session = Session()
    session.add_files([Path(f"/nowhere/{k}.dng") for k in range(count)])
    for item in session.items.values():
        item.ready = True
    return session


def test_files_are_opened_once(qtbot: QtBot) -> None:
    session = _session()
    assert len(session.add_files([Path("/nowhere/1.dng"), Path("/nowhere/9.dng")])) == 2
    assert len(session.items) == 4
    again = session.add(FileSource(Path("/nowhere/2.dng")))
    assert again is session.items[2]


def test_moving_one_slider_is_one_step_of_undo(qtbot: QtBot) -> None:
    session = _session()
    for k in range(10):
        session.edit(0, 0, {"light.exposure": k / 10})
    session.edit(0, 0, {"light.shadows": 1.0})
    assert session.undo.count() == 2
    session.undo.undo()
    assert session.items[0].settings(0).light.shadows == 0
    session.undo.undo()
    assert session.items[0].settings(0) == Settings()
    session.undo.redo()
    assert session.items[0].settings(0).light.exposure == 0.9


def test_changes_of_different_frames_do_not_merge(qtbot: QtBot) -> None:
    session = _session()
    session.edit(0, 0, {"light.exposure": 1})
    session.edit(1, 0, {"light.exposure": 2})
    assert session.undo.count() == 2
    session.undo.undo()
    assert session.items[0].settings(0).light.exposure == 1
    assert session.items[1].settings(0).light.exposure == 0


def test_what_does_not_fit_changes_nothing(qtbot: QtBot) -> None:
    session = _session()
    with pytest.raises(SettingError):
        session.edit(0, 0, {"light.exposure": 99})
    session.edit(0, BARE, {"light.exposure": 1})
    session.items[1].ready = False
    session.edit(1, 0, {"light.exposure": 1})
    assert session.undo.count() == 0


def test_proof_names_stay_distinct_and_the_last_proof_stays(qtbot: QtBot) -> None:
    session = _session()
    session.new_proof(0, 0)
    session.new_proof(0, 1)
    names = [p.name for p in session.items[0].sidecar.proofs]
    assert len(set(names)) == 3
    session.remove_proof(0, 1)
    session.new_proof(0, 0)
    assert len({p.name for p in session.items[0].sidecar.proofs}) == 3
    for _ in range(5):
        session.remove_proof(0, 0)
    assert len(session.items[0].sidecar.proofs) == 1
    session.rename_proof(0, 0, "   ")
    assert session.items[0].proof_name(0).strip()
    session.rename_proof(0, 0, "x" * 300)
    assert len(session.items[0].proof_name(0)) <= 60
    assert session.items[0].proof_name(BARE) == "bare"
    fresh = session.new_proof(0, BARE)
    assert session.items[0].settings(fresh).noise.amount == 0


def test_brackets_are_noted_and_forgotten_with_a_closed_member(qtbot: QtBot) -> None:
    session = _session()
    session.group([0, 1, 2], [Bracket((0, 1, 2), (-2.0, 0.0, 2.0))])
    assert [session.items[k].offset for k in range(3)] == [-2, 0, 2]
    assert bracket_words(list(session.items.values())) == "3 frames, −2 … +2 EV"
    session.remove(1)
    assert session.items[0].bracket == ()
    assert session.order == [0, 2]


# rail


def test_a_long_rail_is_virtual_and_has_headings(qtbot: QtBot) -> None:
    session = _session(5000)
    model = RailModel(session)
    model.rebuild()
    assert model.rowCount() == 5000
    session.group(list(range(5000)), [Bracket((7, 8, 9), (-1.0, 0.0, 1.0))])
    assert model.rowCount() == 5001
    row = model.place_of(7)
    heading = model.index(row - 1)
    assert model.data(heading, Qt.ItemDataRole.UserRole).is_heading
    assert "3 frames" in str(model.data(heading))
    assert "merge" in str(model.data(heading, Qt.ItemDataRole.ToolTipRole))
    assert model.place_of(99_999) == -1
    item = session.items[7]
    assert model.thumb(item, QSize(100, 68)) is None
    item.preview = Preview(np.zeros((400, 600, 3), np.uint8), (4000, 6000))
    picture = model.thumb(item, QSize(100, 68))
    assert picture is not None
    assert picture.width() == 100
    assert picture.height() in (66, 67)
    assert model.thumb(item, QSize(100, 68)) is picture, "scaled once"


def test_previews_keep_a_small_form() -> None:
    preview = Preview(np.zeros((400, 600, 3), np.uint8), (4000, 6000))
    assert max(preview.small.shape[:2]) == SMALL
    tiny = Preview(np.zeros((20, 30, 3), np.uint8), (20, 30))
    assert tiny.small.shape == (20, 30, 3)


# panes and captions


def test_the_probe_lies_at_the_same_place_of_every_frame(qtbot: QtBot) -> None:
    session = _session()
    panes = Panes(session, Viewport(), lambda _pane: SIZE)
    panes.contents[0].extent, panes.contents[1].extent = (2000, 3000), (4000, 6000)
    panes.probe = (0.25, 0.75)
    a, b = panes.probe_region(0), panes.probe_region(1)
    assert (a.left + a.right) / 2 / 3000 == pytest.approx((b.left + b.right) / 2 / 6000, abs=0.001)
    assert a.right - a.left == a.bottom - a.top == 64
    panes.probe = (1.0, 1.0)
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
    caption = Caption()
    qtbot.addWidget(caption)
    item = Item(0, FileSource(Path("/nowhere/a very long name of a frame indeed.dng")), ready=True)
    item.info = FrameInfo(shutter=1 / 60, aperture=4.0, iso=6400, taken=datetime(2026, 1, 1))
    content = Content(item=0)
    caption.show_content("A", content, item, Settings().with_value("light.exposure", 1))
    name, exposure, difference, figures = caption.full_texts()
    assert name == "a very long name of a frame indeed.dng"
    assert exposure == "DNG · 1/60 s · f/4 · ISO 6400"
    assert difference == "Exposure 0.00 EV"
    assert figures == "measuring …"
    content.offset = -0.5
    content.notes = ("Two frames.",)
    caption.show_content("A", content, item, Settings())
    assert caption.full_texts()[2].startswith("Two frames. · brightness matched −0.50 EV")
    caption.show_content("A", content, None, None)
    assert caption.full_texts()[0] == ""
    assert not caption.proof.isVisibleTo(caption)


def test_figures_in_words() -> None:
    rng = np.random.default_rng(0)
    content = Content(
        probe=read_probe((0.18 + rng.normal(0, 0.0018, (32, 32, 3))).astype(np.float32)), whole=_whole(0.0123)
    )
    text = figures_text(content)
    assert "SNR 4" in text
    assert "clipped 1.23 %" in text
    assert "at white none" in text
    assert share_text(0) == "none"
    assert share_text(1e-6) == "< 0.01 %"
    assert share_text(0.5) == "50.00 %"


def test_images_own_their_pixels() -> None:
    pixels = np.random.default_rng(0).integers(0, 255, (7, 13, 3)).astype(np.uint8)
    image = image_of(pixels)
    expected = pixels.copy()
    pixels[:] = 0
    assert image.format() == QImage.Format.Format_RGB888
    for y, x in ((0, 0), (6, 12), (3, 5)):
        colour = image.pixelColor(x, y)
        assert (colour.red(), colour.green(), colour.blue()) == tuple(expected[y, x])


# controls, band, plots


@pytest.mark.parametrize(
    "path", ["light.exposure", "noise.amount", "colour.temperature", "acutance.noise_floor", "light.black"]
)
def test_rows_show_and_give_values(qtbot: QtBot, path: str) -> None:
    row = NumberRow(path)
    qtbot.addWidget(row)
    given_values: list[object] = []
    row.changed.connect(given_values.append)
    for value in (row.spec.low, row.spec.high, row.spec.neutral):
        row.show_value(value)
        assert row.box.value() == pytest.approx(value)
    assert given_values == [], "showing is no change"
    row.box.setValue(row.spec.high)
    assert given_values == [row.spec.high]
    row.show_value(row.spec.high)
    row.slider.setValue(0)
    assert given_values[-1] == row.spec.low
    row.reset()
    assert given_values[-1] == (
        None if row.spec.automatic else pytest.approx(0 if path != "acutance.noise_floor" else 2)
    )
    assert row.spec.unit in row.box.text()
    assert row.spec.help in row.slider.toolTip()


def test_rows_take_true_minus_and_plus_signs(qtbot: QtBot) -> None:
    row = NumberRow("light.exposure")
    qtbot.addWidget(row)
    row.show_value(-1.25)
    assert row.box.text() == "−1.25 EV"
    row.show_value(1.25)
    assert row.box.text() == "+1.25 EV"
    assert row.box.valueFromText("−0.50 EV") == -0.5
    assert row.box.valueFromText("+2.00 EV") == 2


def test_automatic_rows_fall_back_to_what_was_measured(qtbot: QtBot) -> None:
    row = NumberRow("noise.amount")
    qtbot.addWidget(row)
    given_values: list[object] = []
    row.changed.connect(given_values.append)
    row.show_value(None, 64.0)
    assert row.auto is not None
    assert row.auto.isChecked()
    assert row.slider.automatic
    assert "64 %" in row.slider.toolTip()
    row.auto.click()
    row.auto.click()
    assert given_values == [64.0, None]


def test_choice_rows(qtbot: QtBot) -> None:
    row = ChoiceRow("finish.space")
    qtbot.addWidget(row)
    row.show_value("prophoto")
    assert row.box.currentText() == "ProPhoto (ROMM)"


def test_the_band_by_mouse_and_key(qtbot: QtBot) -> None:
    band = Band()
    qtbot.addWidget(band)
    band.resize(1280, 46)
    band.show()
    chosen: list[str] = []
    band.chosen.connect(chosen.append)
    qtbot.mouseClick(band, Qt.MouseButton.LeftButton, pos=band.place(3).center().toPoint())
    qtbot.mouseClick(band, Qt.MouseButton.LeftButton, pos=band.place(3).center().toPoint())
    assert chosen == ["light", ""]
    band.setFocus()
    qtbot.keyClick(band, Qt.Key.Key_Right)
    qtbot.keyClick(band, Qt.Key.Key_Return)
    assert chosen[-1] == "colour"
    band.set_words({"light": "+1.70 EV"})
    assert "Light: +1.70 EV" in band.accessibleDescription()
    assert list(station_words(Settings(), None)) == list(STATIONS)


def test_stations_say_what_they_do_without_a_frame() -> None:
    changed = (
        replace(Settings())
        .with_value("light.exposure", 1.7)
        .with_value("acutance.fine", 80)
        .with_value("lens.vignetting", 1)
    )
    words = station_words(changed.with_value("colour.saturation", 120), None)
    assert words["light"] == "+1.70 EV"
    assert words["acutance"] == "fine 80 %"
    assert words["lens"] == "corners 1.0 EV"
    assert "saturation 120 %" in words["colour"]
    assert words["finish"] == "TIFF, sRGB"
    assert station_words(Settings(), None)["light"] == "as it was"


def test_plots_paint_what_they_are_given(qtbot: QtBot) -> None:
    plot = Plot()
    qtbot.addWidget(plot)
    plot.resize(240, 150)

    def inked() -> int:
        image = QImage(plot.size(), QImage.Format.Format_RGB32)
        image.fill(theme.WELL)
        painter = QPainter(image)
        plot.render(painter, plot.rect().topLeft())
        painter.end()
        return sum(
            image.pixel(x, y) != theme.WELL.rgb() for x in range(10, 230, 3) for y in range(10, 130, 3)
        )

    empty = inked()
    picture = np.exp2(np.random.default_rng(0).normal(-4, 2, (80, 80, 3))).astype(np.float32)
    plot.show_histogram(stop_histogram(picture))
    assert inked() > empty
    assert plot.accessibleName() == "Histogram in stops"
    plot.show_noise(NoiseModel((1e-3,) * 3, (2e-3,) * 3, "file"), 0.3)
    assert plot.accessibleName() == "Noise over brightness"
    assert inked() > 0


# writing


def test_targets_are_named_after_frame_proof_and_format(tmp_path: Path) -> None:
    item = Item(0, FileSource(tmp_path / "a.b.dng"), ready=True)
    assert default_folder(item) == tmp_path / "developed"
    target = target_for(item, 0, tmp_path / "out")
    assert target.path == tmp_path / "out" / "a.b.tif"
    item.sidecar = replace(
        item.sidecar, proofs=(Proof("One/two"), Proof("x", Settings().with_value("finish.format", "jpeg")))
    )
    assert target_for(item, 0, tmp_path).path.name == "a.b-One-two.tif"
    assert target_for(item, 1, tmp_path).path.name == "a.b-x.jpg"
    assert target_for(item, BARE, tmp_path).path.name == "a.b-bare.tif"
    merge = Item(1, MergeSource([tmp_path / "a.dng", tmp_path / "b.dng"]), ready=True)
    assert target_for(merge, 0, tmp_path).path.name == "a-merged.tif"
    (tmp_path / "a.tif").touch()
    (tmp_path / "a-2.tif").touch()
    assert free_name(tmp_path / "a.tif").name == "a-3.tif"
    with pytest.raises(WriteError):
        target_for(item, 0, tmp_path / "a.tif" / "sub")
