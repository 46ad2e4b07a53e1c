"""Numbers as people type them, by real clicks and keys: what is meant is what is set."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from irvane.desktop.numbers import WholeField, number_of
from irvane.desktop.queue.destinations import DestinationsDialog

from .conftest import Driver

#: Setting, what it is before, what is done before typing ("", "click", "double", "end" of the text), what is typed, what is meant.
TYPED = [
    ("light.midtones", 0.0, "click", "-1", -1.0),
    ("light.midtones", 0.7, "click", "-1", -1.0),
    ("light.midtones", 0.7, "click", "1", 1.0),
    ("light.midtones", -0.5, "click", "+0.3", 0.3),
    ("light.midtones", 0.5, "click", "0", 0.0),
    ("light.midtones", 0.5, "click", "−0.4", -0.4),
    ("light.midtones", 0.0, "click", "-0,4", -0.4),
    ("light.midtones", 0.0, "click", ",5", 0.5),
    ("light.midtones", 0.0, "click", ".5", 0.5),
    ("light.midtones", 0.0, "click", "-.5", -0.5),
    ("light.midtones", 0.0, "click", "9", 2.0),
    ("light.midtones", 0.0, "click", "-9", -2.0),
    ("light.midtones", 0.0, "click", "1/2", 0.5),
    ("light.midtones", 0.0, "click", "-1/2", -0.5),
    ("light.midtones", 0.0, "click", "1 1/2", 1.5),
    ("light.midtones", 0.6, "click", "", 0.6),
    ("light.midtones", 0.6, "click", "-", 0.6),
    ("light.midtones", 0.6, "click", "abc", 0.6),
    ("light.midtones", 0.6, "click", "1 EV", 1.0),
    ("light.midtones", 0.6, "double", "-1", -1.0),
    ("light.highlights", 0.0, "click", "-2", -2.0),
    ("light.highlights", 0.0, "double", "-2", -2.0),
    ("light.highlights", 1.3, "click", "-2", -2.0),
    ("light.highlights", -2.0, "click", "2", 2.0),
    ("light.exposure", 0.0, "double", "5", 5.0),
    ("light.exposure", 0.5, "double", "5", 5.0),
    ("light.exposure", 0.5, "click", "5", 5.0),
    ("light.exposure", 0.5, "click", "+1/3", 0.33),
    ("light.exposure", 0.5, "click", "-1 2/3", -1.67),
    ("light.exposure", 0.5, "click", "1/0", 0.5),
    ("light.exposure", 0.5, "click", "-10", -10.0),
    ("light.exposure", 0.5, "click", "11", 10.0),
    ("light.exposure", -3.0, "click", "2.25", 2.25),
    ("light.exposure", -3.0, "click", "2,25", 2.25),
    ("light.contrast", 0.0, "click", "-35", -35.0),
    ("light.contrast", 20.0, "click", "12.4", 12.0),
    ("light.white", 0.0, "click", "-1.5", -1.5),
    ("colour.temperature", None, "click", "5,500", 5500.0),
    ("colour.temperature", None, "click", "4 200 K", 4200.0),
    ("colour.temperature", None, "click", "100", 1800.0),
    ("noise.amount", None, "click", "80", 80.0),
    ("lens.straighten", 0.0, "click", "-0,75", -0.75),
]


def _type(driver: Driver, box: QWidget, how: str, text: str) -> None:
    line = box.lineEdit()
    at = QPoint(line.width() - 14, line.height() // 2)
    driver.window.bench.views[0].setFocus()
    QTest.mouseClick(line, Qt.MouseButton.LeftButton, pos=at)
    if how == "double":
        QTest.mouseDClick(line, Qt.MouseButton.LeftButton, pos=at)
    for sign in text:
        if sign.isascii():
            QTest.keyClicks(box, sign)
        else:  # of other keyboards; QTest knows no such keys
            QApplication.sendEvent(
                box, QKeyEvent(QEvent.Type.KeyPress, 0, Qt.KeyboardModifier.NoModifier, sign)
            )
    QTest.keyClick(box, Qt.Key.Key_Return)


def test_a_value_typed_is_what_is_meant(driver: Driver) -> None:
    assert len(TYPED) >= 40
    wrong = []
    for path, before, how, text, meant in TYPED:
        driver.window.proofs.edit(path, before)
        row = driver.row(path)
        driver.until(lambda row=row: row.box.isEnabled() and not driver.window._controls.isActive())
        _type(driver, row.box, how, text)
        QApplication.processEvents()
        found = driver.settings().get(path)
        if found != pytest.approx(meant, abs=1e-6):
            wrong.append((path, before, how, text, meant, found))
    assert not wrong


@pytest.mark.parametrize(
    ("text", "whole", "meant"),
    [("1/3", False, 1 / 3), ("−2", False, -2), ("1,234", True, 1234), ("1,234", False, 1.234), ("", False, None),
     ("+", False, None), ("1/0", False, None), ("--1", False, None), ("1e3", False, None), ("1.", False, 1)],
)  # fmt: skip
def test_what_a_text_means(text: str, whole: bool, meant: float | None) -> None:
    assert number_of(text, whole) == meant


def _wheel(widget: QWidget, steps: int) -> None:
    middle = QPointF(widget.rect().center())
    event = QWheelEvent(
        middle, widget.mapToGlobal(middle), QPoint(), QPoint(0, 120 * steps), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_the_wheel_changes_a_field_only_with_the_keyboard(driver: Driver) -> None:
    box = driver.row("light.exposure").box
    driver.window.bench.views[0].setFocus()
    _wheel(box, 3)
    assert box.value() == 0
    box.setFocus()
    _wheel(box, 3)
    assert box.value() == pytest.approx(0.3)
    dialog = DestinationsDialog(["archive"], [], driver.window)
    driver.qtbot.addWidget(dialog)
    dialog.show()
    dialog.fields["name"].setFocus()
    for field in (dialog.fields["ppi"], dialog.fields["format"]):
        before = field.value() if isinstance(field, WholeField) else field.property("currentIndex")
        _wheel(field, -3)
        after = field.value() if isinstance(field, WholeField) else field.property("currentIndex")
        assert before == after


def test_keys_at_a_greyed_field_do_nothing(driver: Driver) -> None:
    """Without a greyed field "." turns the picture by a quarter, and a figure opens a station."""
    box = driver.row("acutance.length").box
    driver.settled()
    assert not box.isEnabled(), "nothing moved: it has no length"
    driver.window.bench.views[0].setFocus()
    QTest.mouseClick(box.lineEdit(), Qt.MouseButton.LeftButton)
    for sign in "1.5":
        QTest.keyClicks(driver.window.focusWidget(), sign)
    QApplication.processEvents()
    assert driver.settings().lens.turn == "0" and driver.window.band.station == "acutance"
    QTest.mouseClick(driver.window.bench.views[0], Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    QTest.keyClicks(driver.window.focusWidget(), "1")
    assert driver.window.band.station == "sensor", "elsewhere keys are what they were"
