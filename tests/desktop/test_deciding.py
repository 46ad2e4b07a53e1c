"""Deciding, reports and ladders in the real window."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QInputDialog, QPushButton

from irvane.core.files.identity import content_hash
from irvane.core.files.sidecar import load_sidecar
from irvane.core.judge.chart import ChartPatch
from irvane.core.pixels.places import FrameRegion
from irvane.core.simulate.folder import LADDER_FOLDER
from irvane.desktop.chart import one_grid
from irvane.desktop.linechart import ticks

from .conftest import Driver


def _three_proofs(driver: Driver) -> None:
    for value in (0.5, 1.0):
        driver.window.proofs.new_proof()
        driver.window.proofs.edit("light.exposure", value)


def test_pairs_are_judged_blind_and_the_winner_is_kept(
    driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, strip = driver.window, driver.window.decide
    _three_proofs(driver)
    item = window.bench.item(0)
    driver.key(Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
    assert strip.isVisible() and len(strip.pairs) == 3
    strip.blind.setChecked(True)
    driver.settled()
    texts = [caption.full_texts() for caption in window.bench.captions[:2]]
    assert all("hidden" in t[0] and not any(t[1:]) for t in texts)
    assert not window.bench.captions[0].proof.isVisible()
    assert not any(window.band._words.values()), "the line would tell the settings"
    driver.click(strip.buttons["no visible difference"])
    strip.back()
    assert strip.place == 0 and not strip.judgements
    brighter = {0: 0.0, 1: 0.5, 2: 1.0}
    while strip.isVisible():
        pair = strip.pairs[strip.place]
        assert [window.bench.contents[k].proof for k in (0, 1)] == [pair.left, pair.right]
        driver.click(
            strip.buttons["left" if brighter[pair.left] > brighter[pair.right] else "slightly right"]
        )
    assert "hidden" not in window.bench.captions[0].full_texts()[0]
    dialog = window.tally
    standings = dialog.standings["overall"]
    assert standings[0].name == item.proof_name(2) and standings[0].better == 2
    assert dialog.winner.currentText() == standings[0].name
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_named: ("clearest labels", True))
    dialog._keep()
    driver.settled()
    assert [p.name for p in item.sidecar.proofs] == [standings[0].name]
    kept = load_sidecar(item.path, content_hash(item.path))
    assert kept is not None and kept.proofs[0].note == "clearest labels"
    window.session.undo.undo()
    assert len(item.sidecar.proofs) == 3, "one step takes it back"


def test_a_frame_with_one_proof_has_nothing_to_decide(driver: Driver) -> None:
    driver.key(Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
    assert not driver.window.decide.isVisible()
    assert "at least two proofs" in driver.window.surface.message.text_in_full()


def test_a_report_of_the_panes_is_written(driver: Driver, tmp_path: Path) -> None:
    folder = tmp_path / "report"
    driver.window.reporting.report(folder)
    assert driver.window.strip.isVisible()
    driver.until(lambda: (folder / "report.pdf").exists() and not driver.window.strip.isVisible(), 120)
    data = json.loads((folder / "figures.json").read_text("utf-8"))
    assert [p["name"].partition(" ")[0] for p in data["pictures"]] == ["bench-iso6400.dng"] * 2
    assert "bare" in data["pictures"][1]["name"]
    assert (folder / "report.html").stat().st_size > 100_000
    assert str(folder) in driver.window.surface.message.text_in_full()


def test_a_ladder_is_measured_and_its_limit_moved(driver: Driver, demo: Path, tmp_path: Path) -> None:
    reporting = driver.window.reporting
    reporting.ladder([demo / LADDER_FOLDER])
    driver.until(lambda: reporting.ladder_window is not None, 120)
    window = reporting.ladder_window
    assert window is not None and window.isVisible()
    driver.qtbot.addWidget(window)
    before = window.words.text()
    assert "Simulated A: usable" in before and "differ from" in before
    window.limit.setValue(30.0)
    assert window.words.text() != before
    chart = window.noise
    assert chart.level == pytest.approx(30.0)
    middle = chart.width() // 2
    driver.qtbot.mousePress(
        chart, Qt.MouseButton.LeftButton, pos=QPoint(middle, round(chart._at(0, 30.0).y()))
    )
    driver.qtbot.mouseMove(chart, QPoint(middle, round(chart._at(0, 12.0).y())))
    driver.qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton)
    assert window.limit.value() == pytest.approx(12.0, abs=0.3) and chart.level == window.limit.value()
    window.limit.setValue(12.0)
    rungs = sum(len(ladder.rungs) for ladder in window.ladders)
    assert len(window.frames) == rungs
    styles = [label.styleSheet() for label in window.frames.values()]
    below = sum(r.mean_snr < 12 for ladder in window.ladders for r in ladder.rungs)
    assert 0 < below == sum("#8a5a3c" in style for style in styles)
    assert len(chart.lines) == 2
    line, rungs_of = chart.lines[0], sorted(window.ladders[0].rungs, key=lambda r: r.stop)
    assert np.allclose(line.ys, [r.mean_snr for r in rungs_of]) and np.allclose(
        line.xs, [r.stop for r in rungs_of]
    )
    said = chart.words_at(chart._at(line.xs[0], line.ys[0]))
    assert said.startswith(line.name) and f"{line.ys[0]:.2f}".rstrip("0").rstrip(".") in said
    assert chart.words_at(QPointF(1, 1)) == ""
    from irvane.core.judge.ladder_report import ladder_report

    reporting.keep(ladder_report(window.ladders, 12.0), tmp_path / "kept")
    driver.until(lambda: (tmp_path / "kept" / "report.pdf").exists(), 60)
    pushed, room = window.pushed(), window.headroom()
    stops = {rung.path: rung.stop for ladder in window.ladders for rung in ladder.rungs}
    assert [round(stops[path]) for path in pushed[::2]] == [0, 0] and all(stops[p] < -1 for p in pushed[1::2])
    assert all(stops[path] >= 0 for path in room)
    window.shown_asked.emit(pushed[:2])
    bench = driver.window.bench
    driver.until(lambda: [bench.item(k) and bench.item(k).path for k in range(2)] == pushed[:2], 60)
    assert bench.panes.matching, "at equal brightness"


@pytest.mark.parametrize(
    ("low", "high", "most", "wanted"),
    [(0, 10, 5, [0, 2, 4, 6, 8, 10]), (-6.3, 0.4, 7, [-6, -5, -4, -3, -2, -1, 0]), (0.001, 0.0049, 4, [0.001, 0.002, 0.003, 0.004]),
     (3, 3, 4, [3]), (-40, 55, 4, [0, 50])],
)  # fmt: skip
def test_ticks_are_round_numbers(low: float, high: float, most: int, wanted: list[float]) -> None:
    """Steps of 1, 2 or 5 of a power of ten, as common practice has it."""
    assert ticks(low, high, most) == pytest.approx(wanted)


def test_a_ladder_without_a_chart_asks_for_it_to_be_marked(driver: Driver, demo: Path) -> None:
    reporting = driver.window.reporting
    reporting.ladder([demo / "bench-iso6400.dng", demo / "window-leaves.dng"])
    driver.until(lambda: reporting.chart_dialog is not None, 60)
    assert "No chart" in driver.window.surface.message.text_in_full()
    assert reporting.ladder_window is None
    dialog = reporting.chart_dialog
    assert dialog is not None and dialog.isVisible()
    dialog.reject()
    driver.settled()
    assert reporting.ladder_window is None


def test_marking_begins_with_one_grid() -> None:
    def row(number: int, left: int, count: int, step: int = 30) -> list[ChartPatch]:
        return [
            ChartPatch(number, k, FrameRegion(10, left + k * step, 20, left + k * step + 20))
            for k in range(count)
        ]

    assert one_grid(row(0, 100, 6) + row(1, 102, 6) + row(2, 100, 4)) == row(0, 100, 6) + row(1, 102, 6)
    assert one_grid(row(0, 100, 6, 20) + row(1, 100, 6)) == row(0, 100, 6, 20), (
        "another distance is another grid"
    )


def test_a_chart_is_marked_by_hand(driver: Driver, demo: Path) -> None:
    reporting = driver.window.reporting
    reporting.ladder(sorted((demo / LADDER_FOLDER).glob("*"))[:3])
    driver.until(lambda: reporting.ladder_window is not None, 120)
    first = reporting.ladder_window
    assert first is not None
    found = first.ladders[0]
    driver.click(next(b for b in first.findChildren(QPushButton) if b.text().startswith("Mark")))
    driver.until(lambda: reporting.chart_dialog is not None, 60)
    dialog = reporting.chart_dialog
    assert dialog is not None
    # it begins with what was found: every patch lies in one that was found, at its place
    known = [p.region for p in found.patches if p.row == 0]
    columns = len(known)
    assert (dialog.fields["Rows"].value(), dialog.fields["Columns"].value()) == (1, columns)
    for own, patch in zip(known, dialog.patches, strict=True):
        assert abs(own.left + own.right - patch.region.left - patch.region.right) < 4
    # a rectangle is drawn anew, an edge moved, and a number typed
    area = dialog.area
    rect = area._rect(area.region)
    area.setFixedSize(area.size())
    for start, end in (
        (QPoint(4, 4), QPoint(60, 50)),
        (QPoint(60, 30), QPoint(90, 30)),
        (rect.topLeft().toPoint() + QPoint(1, 1), rect.bottomRight().toPoint()),
    ):
        driver.qtbot.mousePress(area, Qt.MouseButton.LeftButton, pos=start)
        driver.qtbot.mouseMove(area, end)
        driver.qtbot.mouseRelease(area, Qt.MouseButton.LeftButton, pos=end)
    dialog.fields["Rows"].setValue(1)
    top = known[0]
    dialog.fields["Top"].setValue(top.top - 2)
    dialog.fields["Height"].setValue(top.bottom - top.top + 4)
    assert len(dialog.patches) == columns
    dialog.fields["Left"].setValue(dialog.fields["Left"].maximum() - 40)
    assert max(p.region.right for p in dialog.patches) <= first.ladders[0].extent[1], "it ends at the frame"
    dialog._begin(list(found.patches), found.extent)
    dialog.accept()
    driver.until(lambda: reporting.ladder_window is not first, 120)
    window = reporting.ladder_window
    assert window is not None and len(window.ladders[0].patches) == columns
    driver.qtbot.addWidget(window)


def test_long_work_can_be_cancelled_and_is_done_one_at_a_time(
    driver: Driver, demo: Path, tmp_path: Path
) -> None:
    window = driver.window
    window.reporting.ladder([demo / LADDER_FOLDER])
    window.reporting.report(tmp_path / "r")
    assert "already" in window.surface.message.text_in_full()
    driver.click(window.strip._cancel)
    driver.until(lambda: not window.strip.isVisible(), 30)
    driver.settled()
    assert "Cancelled" in window.surface.message.text_in_full()
    assert window.reporting.ladder_window is None and not (tmp_path / "r").exists()
