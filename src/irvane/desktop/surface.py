"""What the job is reached by: menus, the bar of jobs, the finder, messages, the handbook."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QDialog, QLabel, QListWidget, QVBoxLayout, QWidget

from irvane.core.finish.destination import destinations
from irvane.core.handbook import PAGE_OF
from irvane.core.settings import STATIONS, spec
from irvane.desktop import theme
from irvane.desktop.actions import Actions
from irvane.desktop.finder.entries import entries_of
from irvane.desktop.finder.field import Finder
from irvane.desktop.handbook.window import HandbookWindow
from irvane.desktop.jobs import JobBar
from irvane.desktop.message import Message
from irvane.desktop.plain import counted, on_button
from irvane.desktop.targets import targets
from irvane.desktop.throttle import FRAME, Throttle
from irvane.desktop.whole import Whole

#: Milliseconds that something pointed at is lit.
_LIT = 2500
#: Pixels between the menus and the jobs.
_GAP = 12


class Surface(QObject):
    """Puts them around a window whose parts are all there.

    Attributes
    ----------
    commands : the actions by name. message : what was said. finder, jobs, handbook (None until it is asked
    for)
    """

    def __init__(self, window: Whole) -> None:
        super().__init__(window)
        self._window = window
        self.message = Message(window, lambda: window.sheeting.sheet if window.sheeting.on else window.bench)
        self.commands = Actions(window, targets(window) | self._targets())
        self.finder = Finder(lambda: entries_of(window), window.say)
        self.jobs = JobBar(self.commands, self.finder)
        self.handbook: HandbookWindow | None = None
        window.menuBar().setCornerWidget(self.jobs)
        for number, station in enumerate(STATIONS):
            action = window.addAction(station)
            action.setShortcut(str(number + 1))
            action.triggered.connect(lambda _checked=False, s=station: window.band.toggle(s))
        self._due = Throttle(self, self.jobs.refresh, FRAME)
        for signal in (
            window.bench.chosen_changed, window.session.undo.indexChanged, window.session.item_changed,
            window.rail.selectionModel().selectionChanged, window.rail.rows.modelReset, window.band.chosen,
            window.regions.shown, window.queueing.runner.changed,
        ):  # fmt: skip
            signal.connect(lambda *_any: self._due.ask())
        window.sheeting.sheet.list.selectionModel().selectionChanged.connect(lambda *_any: self._due.ask())
        self._offered: list[QAction] = []
        self.jobs.menus["Write"].aboutToShow.connect(self._offer_destinations)
        telling = window.queueing.telling
        telling.told.connect(lambda: self.jobs.tell_queue(telling.short()))
        self.jobs.tell_queue(telling.short())
        self.jobs.refresh()

    def _targets(self) -> dict[str, Callable[[], object]]:
        window = self._window
        return {
            "find": lambda: self.finder.begin(),
            "handbook": lambda: self.show_page(PAGE_OF.get(window.band.station, "start")),
            "messages": self.show_earlier,
        }

    def _offer_destinations(self) -> None:
        """In the menu Write: the selected frames to each destination."""
        menu, queueing = self.jobs.menus["Write"], self._window.queueing
        for action in self._offered:
            menu.removeAction(action)
        count = counted(len(self._window.sheeting.several()), "frame")
        self._offered = [menu.addSeparator()]
        for one in destinations():
            text = on_button(f"{count} to “{one.name}”: {one.words()}", 90)
            self._offered.append(menu.addAction(text, partial(queueing.put_to, one.name)))

    def fit(self) -> None:
        """The jobs take what the menus leave, once these have their new width."""
        QTimer.singleShot(0, self, self._fit)

    def _fit(self) -> None:
        menus = self._window.menuBar()
        used = menus.actionGeometry(menus.actions()[-1]).right()
        self.jobs.take_room(max(self._window.width() - used - _GAP, 120))
        menus.setCornerWidget(self.jobs)
        self.message.place()

    def point_at(self, path: str) -> None:
        """Open the station of a setting, unfold it there, light it and give its value the keyboard."""
        window, station = self._window, path.partition(".")[0]
        if window.sheeting.on:
            window.sheeting.toggle()
        if window.band.station != station:
            window.band.toggle(station)
        window.shelf.stations[station].unfold_for(path)
        row = window.shelf.stations[station].rows[path]
        self.light(row)
        row.box.setFocus()
        if hasattr(row.box, "selectAll"):
            row.box.selectAll()

    def light(self, part: QWidget) -> None:
        """Light a part of the window for a moment."""
        lit = QLabel(part)
        lit.setObjectName("lit")
        lit.setStyleSheet(f"#lit {{ border: 2px solid {theme.ACCENT.name()}; background: transparent; }}")
        lit.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        lit.setGeometry(part.rect())
        lit.show()
        QTimer.singleShot(_LIT, lit, lit.deleteLater)

    def show_page(self, key: str, words: str = "") -> None:
        """Show a page of the handbook."""
        if self.handbook is None:
            self.handbook = HandbookWindow(self._window)
        self.handbook.show_page(key, words)
        self.handbook.show()
        self.handbook.raise_()

    def explain(self, path: str) -> None:
        """Show what the handbook says of a setting."""
        self.show_page(PAGE_OF[path.partition(".")[0]], spec(path).label)  # type: ignore[union-attr]

    def show_earlier(self) -> None:
        """What was said before."""
        dialog = QDialog(self._window)
        dialog.setWindowTitle("Earlier messages")
        dialog.resize(640, 360)
        shown = QListWidget()
        shown.setWordWrap(True)
        shown.setAccessibleName("Messages, newest first")
        shown.addItems(list(self.message.earlier) or ["Nothing was said yet."])
        QVBoxLayout(dialog).addWidget(shown)
        dialog.open()

    def hand_acts(self, event: QEvent) -> None:
        """A key or a button was pressed somewhere in the window."""
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress):
            self.message.seen()
