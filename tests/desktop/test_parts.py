"""Parts of the window on their own: rows, band, plots, targets."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPainter
from pytestqt.qtbot import QtBot

from irvane.core.errors import WriteError
from irvane.core.files.proofs import Proof
from irvane.core.image import NoiseModel
from irvane.core.judge.histogram import stop_histogram
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource
from irvane.core.settings import STATIONS, Settings
from irvane.desktop import theme
from irvane.desktop.bench.elided import Elided
from irvane.desktop.item import BARE, Item
from irvane.desktop.line.band import Band
from irvane.desktop.line.controls import ChoiceRow, NumberRow
from irvane.desktop.line.plots import Plot
from irvane.desktop.line.words import station_words
from irvane.desktop.writing.target import default_folder, free_name, target_for

EXTENT, SIZE = (2000, 3000), QSize(580, 560)


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
    set_back: list[bool] = []
    row.set_back.connect(lambda: set_back.append(True))
    row.name.reset.emit()
    assert set_back == [True] and given_values[-1] == row.spec.low, "what it is set back to, others know"
    assert row.spec.unit in row.box.text()
    assert row.spec.help in row.slider.toolTip()


def test_figures_are_shown_whole_or_not_at_all(qtbot: QtBot) -> None:
    figures = ["σ 22.10 %", "SNR 5.5 dB", "clipped 0.15 %"]
    label = Elided()
    qtbot.addWidget(label)
    label.set_full(" · ".join(figures))
    label.show()
    seen = set()
    for width in range(300, 20, -5):
        label.resize(width, 20)
        assert label.fontMetrics().horizontalAdvance(label.text()) <= width
        *shown, last = label.text().split(" · ")
        if last in figures:
            shown.append(last)
        elif shown:
            assert last == "…"
        if shown:
            assert shown == figures[: len(shown)], "no figure is cut"
        seen.add(len(shown))
    assert seen == {0, 1, 2, 3}
    assert label.toolTip() == label.text_in_full() == " · ".join(figures)


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
    assert words["acutance"] == "sharpening fine 80 %"
    assert words["lens"] == "corners 1.0 EV"
    assert "saturation 120 %" in words["colour"]
    assert words["finish"] == "TIFF 16 bit, sRGB"
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
