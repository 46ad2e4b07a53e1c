"""A window on the small demo frames, and ways to wait for what it does."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from irvane.desktop import theme
from irvane.desktop.window import Window


@pytest.fixture(scope="session", autouse=True)
def _quick_hand_over() -> Iterator[None]:
    before = sys.getswitchinterval()
    sys.setswitchinterval(0.001)
    yield
    sys.setswitchinterval(before)


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
            waiting = bench.feed._settle.isActive() or bench.feed._pending.isActive()
            quiet = quiet + 1 if self.window.backstage.idle() and not waiting else 0
            return quiet > 6

        self.until(still, 120)

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


@pytest.fixture
def driver(qtbot: QtBot, frames: Path) -> Iterator[Driver]:
    """An open window on copies of the small demo frames."""
    app = pytest.importorskip("PySide6.QtWidgets").QApplication.instance()
    theme.apply(app)
    window = Window()
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    one = Driver(window, qtbot)
    window.opening.open([frames])
    one.until(lambda: len(window.session.items) == 6 and all(i.ready for i in window.session.items.values()))
    one.until(lambda: any(row.is_heading for row in window.rail.rows.rows))
    one.settled()
    yield one
    window.close()
