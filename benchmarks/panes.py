"""Latencies of comparing: six panes at 100 %, blinking, figures after the probe was moved. A part of speed.py."""

from __future__ import annotations

import statistics
import time
from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QObject

from irvane.core.settings import Settings
from irvane.desktop.bench.panes import ONE
from irvane.desktop.item import BARE

PANES = 6
_TIMES = 24


def _told(times: list[float]) -> str:
    return f"{statistics.median(times):.0f} / {np.percentile(times, 95):.0f}"


def six_panes(driver: Any, touched: set[str], everything: dict[str, float]) -> list[tuple[str, str]]:
    """Figures of six panes: proofs of two frames, denoised, with lifted shadows, and bare.

    `driver` is speed.py's, with both frames open, whose `touched` settings are put back; panning is timed again with
    `everything` set in four of the panes.
    """
    window, bench = driver.window, driver.window.bench
    first, second = (item.number for item in window.session.items.values())
    shown, untouched = [], Settings()
    for number in (first, second):
        window.session.edit(number, 0, {path: untouched.get(path) for path in touched})
        window.rail.choose(number)
        window.proofs.new_proof()
        window.proofs.edit("light.shadows", 1.5)
        shown += [(number, 0), (number, len(window.session.items[number].sidecar.proofs) - 1), (number, BARE)]
    while bench.count < PANES:
        bench.change_count(1)
    for pane, (number, proof) in enumerate(shown):
        bench.show_item(pane, number, proof)
    bench.set_zoom(None)
    driver.settled()
    began = time.perf_counter()
    before = [content.current for content in bench.contents]
    bench.set_zoom(1.0)
    driver.until(
        lambda: any(
            c.current is not b and c.state == "final" for c, b in zip(bench.contents, before, strict=True)
        )
    )
    refined = time.perf_counter() - began
    driver.settled()
    rows = [("six panes at 100 %, first refined pane after a zoom, ms", f"{refined * 1000:.0f}")]
    view = bench.views[0]
    size = view.device_size()

    def pan(k: int) -> None:
        bench.viewport.pan(-40 if k % 8 < 4 else 40, 23 if k % 2 else -23, view.extent, size)

    def zoom(k: int) -> None:
        bench.set_zoom(2.0 if k % 2 else 1.0)

    for name, move in (("pan", pan), ("zoom between 100 and 200 %", zoom)):
        rows.append((f"six panes, {name}: repaint ms, median / 95 %", _told(_repaints(driver, move))))
        driver.settled()
    for number, proof in shown:
        if proof != BARE:
            window.session.edit(number, proof, everything)
    driver.settled()
    name = "six panes, pan, everything on in four of them: repaint ms, median / 95 %"
    rows.append((name, _told(_repaints(driver, pan))))
    driver.settled()
    rows.append(
        (
            "probe moved until the figures of all six panes are there, ms, median / 95 %",
            _told(_probes(driver)),
        )
    )
    table, painted = bench.judgement.table.viewport(), []
    for _ in range(_TIMES):
        start = time.perf_counter()
        table.repaint()
        painted.append((time.perf_counter() - start) * 1000)
    rows.append(("table of six panes repainted, ms, median / 95 %", _told(painted)))
    driver.settled()
    bench.set_arrangement(ONE)
    driver.settled()
    flips = []
    for k in range(_TIMES):
        start = time.perf_counter()
        bench.blink(k % 2 == 0)
        bench.views[0].repaint()
        flips.append((time.perf_counter() - start) * 1000)
    bench.blink(False)
    rows.append(("blink: the other pane painted, ms, median / 95 %", _told(flips)))
    return rows


class _Painted(QObject):
    """Notes which picture each view painted last."""

    def __init__(self, bench: Any) -> None:
        super().__init__()
        self.views = bench.views[:PANES]
        self.last = {view: view.contents[0].current for view in self.views}
        for view in self.views:
            view.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() == QEvent.Type.Paint:
            self.last[watched] = watched.contents[0].current
        return False


def _repaints(driver: Any, move: Any) -> list[float]:
    """Milliseconds from a move until every pane is painted with what it is to show then."""
    painted, times = _Painted(driver.window.bench), []
    for k in range(_TIMES):
        shown = list(painted.last.values())
        start = time.perf_counter()
        move(k + 1)
        driver.until(
            lambda old=tuple(shown): all(
                now is not s for now, s in zip(painted.last.values(), old, strict=True)
            )
        )
        times.append((time.perf_counter() - start) * 1000)
    for view in painted.views:
        view.removeEventFilter(painted)
    return times


def _probes(driver: Any) -> list[float]:
    bench, times = driver.window.bench, []
    h, w = bench.views[0].extent
    for k in range(_TIMES):
        start = time.perf_counter()
        bench.move_probe(w / 2 + 20 * k, h / 2 - 15 * k)
        driver.until(lambda: all(bench.telling.is_current(pane) for pane in range(PANES)))
        times.append((time.perf_counter() - start) * 1000)
    return times
