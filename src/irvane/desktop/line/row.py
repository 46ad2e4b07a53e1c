"""What the rows of settings share: the name with its menu, the mark where a value differs, why it rests."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QMouseEvent
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QWidget

from irvane.core.settings import spec
from irvane.desktop.flat import set_state
from irvane.desktop.icons_of import icon


class NameLabel(QLabel):
    """The setting's name; a double click resets it, a right click opens its menu.

    Signals
    -------
    reset, strip : as its menu says. explain : its page of the handbook is asked for.
    """

    reset = Signal()
    strip = Signal()
    explain = Signal()

    def mark(self, differs: bool, region: bool = False) -> None:
        """Colour it: it differs from an untouched proof; underlined: a region changes it."""
        set_state(self, ("region" if region else "differs") if differs else "")

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        menu = QMenu(self)
        menu.addAction("Test strip").triggered.connect(self.strip)
        menu.addAction("Back to what a new proof has").triggered.connect(self.reset)
        menu.addSeparator()
        menu.addAction("What it does (handbook)").triggered.connect(self.explain)
        menu.popup(event.globalPos())
        menu.aboutToHide.connect(menu.deleteLater)

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        self.reset.emit()


class SettingRow(QWidget):
    """What the rows of settings share: a name, a mark where it differs, and why it rests.

    Signals
    -------
    changed(value), strip : its test strip is asked for. set_back : it is to be as it was at first.
    """

    changed = Signal(object)
    strip = Signal()
    set_back = Signal()
    explain = Signal()

    path: str
    name: NameLabel
    help = ""

    def begin(self, path: str, name: NameLabel) -> None:
        """The name and its button, to be laid out."""
        self.path, self.name = path, name
        self.name.reset.connect(self.set_back)
        self.name.strip.connect(self.strip)
        self.name.explain.connect(self.explain)
        self.back = QPushButton()
        self.back.setProperty("flat", True)
        self.back.setIcon(icon("undo"))
        self.back.setIconSize(QSize(10, 10))
        self.back.setFixedSize(16, 16)
        self.back.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.back.setToolTip("Back to what a new proof has.")
        self.back.setAccessibleName(f"Set {spec(path).label} back")  # type: ignore[union-attr]
        self.back.clicked.connect(self.set_back)
        self.back.hide()

    def mark(self, differs: bool, region: bool = False) -> None:
        """Show that it differs from an untouched proof, or that a region changes it."""
        self.name.mark(differs, region)
        self.back.setVisible(differs)

    def rest(self, why: str) -> None:
        """Grey it and say why; an empty reason frees it."""
        self.setEnabled(not why)
        if why != self._why:
            self._why = why
            self.tell()

    _why = ""

    def tell(self) -> None:
        """What is said on hover: the help, or why it rests."""
        for widget in (self, *self.findChildren(QWidget)):
            if widget is not self.back:
                widget.setToolTip(self._why or self.help)
