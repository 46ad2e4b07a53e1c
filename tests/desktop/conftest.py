"""A window on the small demo frames, and ways to wait for what it does."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from irvane.core.files.preferences import choose
from irvane.core.judge.readings import Figure
from irvane.desktop import theme
from irvane.desktop.bench.caption import Caption
from irvane.desktop.bench.picture import PictureView
from irvane.desktop.line.controls import NumberRow
from irvane.desktop.session import Session
from irvane.desktop.window import Window

from .belonging import foreign, foreign_when_still


@pytest.fixture(scope="session", autouse=True)
def _quick_hand_over() -> Iterator[None]:
    before = sys.getswitchinterval()
    sys.setswitchinterval(0.001)
    yield
    sys.setswitchinterval(before)


@pytest.fixture
def garbage_as_before() -> Iterator[None]:
    """For tests that change when the interpreter collects its garbage."""
    thresholds = gc.get_threshold()
    yield
    gc.set_threshold(*thresholds)
    gc.unfreeze()


@pytest.fixture(autouse=True)
def nothing_foreign(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """At every paint of a picture or a caption all that is shown must be of what the pane shows.

    Not where time is taken: looking is work of its own.
    """
    if request.node.get_closest_marker("alone"):
        yield
        return
    found: list[str] = []
    real_picture, real_caption = PictureView.paintEvent, Caption.show_content

    def check(widget: QWidget) -> None:
        window = widget.window()
        if isinstance(window, Window) and not getattr(window, "_checking", False):
            window._checking = True  # looking asks for what is wanted: not once more inside of it
            found.extend(foreign(window))
            window._checking = False

    def painted(view: PictureView, event: object) -> None:
        real_picture(view, event)
        check(view)

    def told(caption: Caption, *given: object, **named: object) -> None:
        real_caption(caption, *given, **named)
        check(caption)

    monkeypatch.setattr(PictureView, "paintEvent", painted)
    monkeypatch.setattr(Caption, "show_content", told)
    yield
    assert not found, found[:5]


class Driver:
    """Drives a window as a hand would."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot = window, qtbot

    def until(self, condition: Callable[[], bool], seconds: float = 60) -> None:
        self.qtbot.waitUntil(condition, timeout=int(seconds * 1000))

    def settled(self) -> None:
        """Wait until everything is computed and shown."""
        quiet = 0

        def still() -> bool:
            nonlocal quiet
            bench = self.window.bench
            controller = bench.controller
            timers = (
                controller._settle,
                controller._pending,
                controller._probing,
                bench._captions_due,
                bench.telling._due,
                self.window._controls,
            )
            waiting = any(timer.isActive() for timer in timers)
            quiet = quiet + 1 if self.window.service.idle() and not waiting else 0
            return quiet > 6

        self.until(still, 120)
        # at rest nothing is older than what is wanted
        if self.window.bench.isVisible() and not self.window.bench.test_strip.isVisible():
            assert not foreign_when_still(self.window)

    def figure(self, key: str, pane: int) -> Figure | None:
        """A figure of the table, by its row and pane."""
        told = self.window.bench.telling.told
        return None if told is None else told.figure(key, pane)

    def figures(self, pane: int) -> list[str]:
        """What the table says of a pane: ``Noise, dB 38.2`` and so on."""
        model = self.window.bench.judgement.table.told
        number = 1 + next(k for k, column in enumerate(model.columns) if column.pane == pane)
        return [
            f"{model.title(row)} {model.data(model.index(row, number))}" for row in range(model.rowCount())
        ]

    def number(self, name: str) -> int:
        return next(i.number for i in self.window.session.items.values() if i.source.name == name)

    def choose(self, name: str) -> None:
        self.window.rail.choose(self.number(name))
        self.settled()

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.window.focusWidget() or self.window, key, modifier)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())

    def settings(self, pane: int = 0):
        return self.window.bench.settings(pane)

    def row(self, path: str) -> NumberRow:
        """The row of a number, its station opened."""
        station = path.partition(".")[0]
        if self.window.band.station != station:
            self.window.band.toggle(station)
        self.window.shelf.stations[station].unfold_for(path)
        row = self.window.shelf.stations[station].rows[path]
        assert isinstance(row, NumberRow)
        return row

    def pixels(self, pane: int = 0) -> np.ndarray:
        """What a pane shows, as numbers."""
        layer = self.window.bench.contents[pane].current
        assert layer is not None
        image = layer.image
        data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        return data[:, : image.width() * 4].reshape(image.height(), image.width(), 4)[..., :3].astype(float)

    def on_the_label(self) -> None:
        """The probe on an empty part of a jar's label."""
        self.window.bench.move_probe(131, 361)
        self.settled()


@pytest.fixture(scope="session")
def _themed(qapp: QApplication) -> None:
    theme.apply(qapp)


@pytest.fixture
def driver(qtbot: QtBot, frames: Path, _themed: None) -> Iterator[Driver]:
    """An open window on copies of the small demo frames."""
    choose(unfolded=())
    window = Window()
    qtbot.addWidget(window)
    window.resize(1280, 800)  # the screen of tests is small
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    one = Driver(window, qtbot)
    window.opening.open([frames])
    one.until(lambda: len(window.session.items) == 6 and all(i.ready for i in window.session.items.values()))
    one.until(lambda: any(row.is_heading for row in window.rail.rows.rows))
    one.settled()
    yield one
    window.writing.cancel()  # a window that would lose something asks before it closes
    window.service.files._unsaved.clear()
    window.close()
    # connections to lambdas keep the Python half of a window for good, and 40 MB of pictures with it
    window.service._seen.clear()
    window.service.engine.frames._frames.clear()
    window.service.engine._loaded = None
    for content in window.bench.contents:
        content.current = content.backdrop = content.loupe = None


def session_of(count: int = 3) -> Session:
    session = Session()
    session.add_files([Path(f"/nowhere/{k}.dng") for k in range(count)])
    for item in session.items.values():
        item.ready = True
    return session
