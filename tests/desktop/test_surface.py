"""What is found without reading: the finder, help on every control, names for those who listen, nothing cut."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollBar,
    QSlider,
    QWidget,
)

from irvane.core.handbook import PAGES, page, pages
from irvane.core.line.look_purposes import by_purpose
from irvane.core.settings import STATIONS, Method, names, spec
from irvane.desktop.bench.elided import Elided
from irvane.desktop.commands import COMMANDS
from irvane.desktop.finder.entries import entries_of
from irvane.desktop.finder.search import search

from .conftest import Driver

#: What people say, and a word of what they must be led to (common practice).
SAID = {
    "brightness": "exposure", "fill light": "shadows", "lift": "shadows", "recover": "highlights",
    "haze": "clear black", "levels": "black point", "clarity": "contrast", "grain": "grain",
    "iso noise": "noise", "smear": "texture", "colour cast": "white balance", "kelvin": "temperature",
    "grey card": "grey spot", "vibrance": "pale colours", "horizon": "straighten", "level": "straighten",
    "rotate": "turn", "perspective": "tilt", "keystone": "tilt", "falling lines": "tilt",
    "barrel": "distortion", "dark corners": "vignetting", "purple rim": "fringe", "colour rim": "aberration",
    "shaken": "deblurring", "out of focus": "deblurring", "unsharp mask": "sharpening",
    "upscale": "enlarging", "resize": "enlarging", "print size": "destinations", "mask": "regions",
    "brush": "regions", "gradient": "regions", "select subject": "regions", "hdr": "hdr", "bracket": "bracket",
    "stack": "merge", "blend": "fusion", "stitch": "panorama", "burst": "mean", "average": "mean",
    "side by side": "side by side", "before after": "bare", "magnifier": "loupe", "1:1": "100 %",
    "pixel peeping": "100 %", "export": "write", "save as": "write", "batch": "queue", "rating": "stars",
    "flag": "keep", "pick": "keep", "sync settings": "copy settings", "paste settings": "paste settings",
    "lens profile": "lens profile", "icc": "profile", "soft proof": "soft proof",
    "print preview": "soft proof", "manual": "handbook", "tutorial": "seven steps", "undo": "undo",
}  # fmt: skip


def test_everything_is_found_by_the_words_of_the_trade(driver: Driver) -> None:
    driver.settled()
    entries = entries_of(driver.window)
    for said, wanted in SAID.items():
        found = search(said, entries)
        told = [f"{one.title} {one.where} {one.help}".lower() for one in found[:6]]
        assert any(wanted in one for one in told), (said, [one.title for one in found])
    for command in COMMANDS:
        if command.name != "find":
            words = " ".join(command.words.removesuffix(" …").split()[:3])
            assert command.words.removesuffix(" …") in [e.title for e in search(words, entries)], (
                command.words
            )
    for station in STATIONS:
        for path in names(station):
            one = spec(path)
            if not isinstance(one, Method):
                found = search(f"{one.label} {one.group.label}", entries)
                assert (one.label, "setting") in [(e.title, e.kind) for e in found], path
    for looks in by_purpose().values():
        for look in looks.values():
            assert look.words in [e.title for e in search(f"{look.words} look", entries)], look.words
    assert not search("xyzzy quux", entries)


def test_the_finder_opens_the_station_and_points(driver: Driver) -> None:
    window = driver.window
    driver.key(Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    finder = window.surface.finder
    QTest.keyClicks(finder, "moire")
    assert finder.found()[0].title == "Clean-up" or "Clean-up" in [e.title for e in finder.found()]
    row = [e.title for e in finder.found()].index("Clean-up")
    for _ in range(row):
        QTest.keyClick(finder, Qt.Key.Key_Down)
    QTest.keyClick(finder, Qt.Key.Key_Return)
    assert window.band.station == "sensor"
    assert window.shelf.stations["sensor"].rows["sensor.false_colour"].isVisible()
    # what cannot be done says why
    QTest.keyClicks(finder, "redo")
    assert "taken back" in finder.found()[0].why_not
    QTest.keyClick(finder, Qt.Key.Key_Return)
    assert "taken back" in window.surface.message.text()


def test_the_handbook_tells_of_every_setting_and_command() -> None:
    text = "\n".join(one.text for one in pages())
    for station in STATIONS:
        for path in names(station):
            one = spec(path)
            if not isinstance(one, Method):
                assert one.help in text, path
    assert {c.page for c in COMMANDS if c.page} <= set(PAGES)
    assert all(len(one.text) > 300 and one.title for one in pages())
    with pytest.raises(KeyError):
        page("nothing")


def _controls(window: QWidget) -> list[QWidget]:
    kinds = (QAbstractButton, QComboBox, QAbstractSpinBox, QLineEdit, QSlider, QAbstractItemView)
    found = []
    for widget in window.findChildren(QWidget):
        own = isinstance(widget, kinds) and not isinstance(widget, QScrollBar)
        inside = isinstance(widget.parent(), QComboBox | QAbstractSpinBox | QLineEdit | QAbstractItemView)
        of_a_list = widget.parent() is not None and widget.parent().inherits("QComboBoxPrivateContainer")
        if own and not inside and not of_a_list and not widget.objectName().startswith("qt_"):
            found.append(widget)
    return found


def test_every_control_has_a_name_and_help(driver: Driver) -> None:
    window = driver.window
    driver.settled()
    nameless, helpless = [], []
    for widget in _controls(window):
        told = widget.text() if isinstance(widget, QAbstractButton) else ""
        around = (
            f"{type(widget).__name__} in {type(widget.parent()).__name__}: {told or widget.accessibleName()}"
        )
        if not (told or widget.accessibleName()):
            nameless.append(around)
        if not widget.toolTip() and not isinstance(widget, QAbstractItemView):
            helpless.append(around)
    assert not nameless, nameless
    assert not helpless, helpless


def _cut(window: QWidget) -> list[str]:
    """Labels, buttons and lists whose words do not fit."""
    cut = []
    for widget in window.findChildren(QWidget):
        if not widget.isVisible() or isinstance(widget, Elided):
            continue
        room = widget.width()
        if isinstance(widget, QPushButton) or (
            isinstance(widget, QLabel) and widget.text() and not widget.wordWrap()
        ):
            needed = widget.sizeHint().width()
        else:
            continue
        if needed > room + 1:
            cut.append(f"{widget.text()} {needed} > {room}")
    return cut


def _states(driver: Driver):  # type: ignore[no-untyped-def]
    window = driver.window
    for station in STATIONS:
        if window.band.station != station:
            window.band.toggle(station)
        yield station
        window.shelf.stations[station].unfold(True)
        yield f"{station}, unfolded"
        window.shelf.stations[station].unfold(False)
    window.framing.toggle()
    yield "crop"
    window.framing.toggle()
    window.regions.toggle()
    window.regions.add("brush")
    yield "regions"
    window.regions.toggle()
    window.sheeting.toggle()
    yield "sheet"
    window.sheeting.toggle()


@pytest.mark.parametrize("size", [(1280, 650), (1366, 700), (1920, 1080), (3840, 2160)])
def test_nothing_is_cut(driver: Driver, size: tuple[int, int]) -> None:
    window = driver.window
    window.resize(*size)
    driver.settled()
    for state in _states(driver):
        for _ in range(3):
            QApplication.processEvents()
        assert (window.width(), window.height()) == size, state
        assert not _cut(window), state
        field = window.surface.finder
        right = field.mapTo(window, field.rect().topRight()).x()
        assert size[0] - 40 < right < size[0], "the jobs end where the window does"
        if size == (1280, 650) and state in STATIONS:
            view = window.bench.views[0]
            assert view.width() >= 560 and view.height() >= 280, state


@pytest.fixture
def longer_words(qapp: QApplication, _themed: None) -> Iterator[None]:
    """All words a third wider, as a translation would have them."""
    ours = qapp.styleSheet()
    qapp.setStyleSheet(ours + "\n* { letter-spacing: 2px; }")
    yield
    qapp.setStyleSheet(ours)


def test_nothing_is_cut_where_words_are_a_third_longer(longer_words: None, driver: Driver) -> None:
    """What has no room goes into a menu, or is moved sideways, and the window stays."""
    window = driver.window
    window.resize(1280, 650)
    driver.settled()
    for state in _states(driver):
        for _ in range(3):
            QApplication.processEvents()
        assert (window.width(), window.height()) == (1280, 650), state
        assert not _cut(window), state
    jobs = window.surface.jobs
    jobs.tell_queue("12, 34 min left")
    QApplication.processEvents()
    assert window.width() == 1280 and not _cut(jobs)
    left_out = [a.text() for a in jobs._more_menu.actions()]
    assert jobs.more.isVisible() and left_out
    assert len([b for b in jobs.buttons.values() if b.isVisible()]) > 6
