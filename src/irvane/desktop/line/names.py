"""Settings that are chosen elsewhere: a name out of a long list, with the list to search in, and a crop."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRegularExpression, QSortFilterProxyModel, QStringListModel, Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QLabel,
    QLineEdit,
    QListView,
    QVBoxLayout,
    QWidget,
)

from irvane.core.declaring import Crop, Cropping, Name
from irvane.core.settings import spec, value_text
from irvane.desktop.line.controls import NAME_WIDTH, ButtonRow
from irvane.desktop.plain import on_button


class NameRow(ButtonRow):
    """A named setting; a click opens the list."""

    def __init__(self, path: str) -> None:
        declared = spec(path)
        assert isinstance(declared, Name)
        super().__init__(path, declared.help)
        self._help = declared.help

    def show_value(self, value: str, automatic: object = None) -> None:
        """Show a value; of an automatic one the name that is found, in `automatic`."""
        words = value_text(self.path, value)
        found = f"{words}: {automatic}" if isinstance(automatic, str) and automatic else words
        fitting = self.box.fontMetrics().elidedText(
            found, Qt.TextElideMode.ElideRight, max(self.box.width() - 14, 60)
        )
        self.box.setText(on_button(fitting))
        self.help = f"{found}\n{self._help}"
        self.tell()


class CropRow(ButtonRow):
    """A crop: what it is, and a click to choose it on the picture."""

    def __init__(self, path: str) -> None:
        declared = spec(path)
        assert isinstance(declared, Cropping)
        how = "Click to choose it on the picture (Shift+W); double click on the name: the largest."
        super().__init__(path, f"{declared.help}\n{how}", NAME_WIDTH)

    def show_value(self, value: Crop, _automatic: object = None) -> None:
        """Show a crop."""
        self.box.setText("largest" if not value else f"{value[2]:.1f} × {value[3]:.1f} %")


class LensDialog(QDialog):
    """The lenses of the database, to search in.

    Signals
    -------
    taken(value, remember) : a name, ``auto`` or ``off``; whether it holds for this lens from now on.
    """

    taken = Signal(str, bool)

    def __init__(self, names: Callable[[], list[str]], now: str, found: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Lens")
        self.resize(560, 480)
        told = QLabel(found)
        told.setWordWrap(True)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Parts of the name: maker, focal length, f-number")
        self.search.setAccessibleName("Search for a lens")
        self.search.setClearButtonEnabled(True)
        self._model = QSortFilterProxyModel(self)
        self._model.setSourceModel(QStringListModel(names(), self))
        self._model.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.search.textChanged.connect(self._filter)
        self.list = QListView()
        self.list.setModel(self._model)
        self.list.setUniformItemSizes(True)
        self.list.setEditTriggers(QListView.EditTrigger.NoEditTriggers)
        self.list.setAccessibleName("Lenses")
        self.list.doubleClicked.connect(lambda _index: self._take(False))
        self.count = QLabel()
        self.count.setObjectName("muted")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        for words, help_, call in (
            ("Use it", "For this proof.", lambda: self._take(False)),
            (
                "Use it for this lens from now on",
                "New proofs of frames with the same lens data begin with it.",
                lambda: self._take(True),
            ),
            ("Automatic", "What the file or the database says.", lambda: self._say("auto")),
            ("None", "No corrections from a profile.", lambda: self._say("off")),
        ):
            button = buttons.addButton(words, QDialogButtonBox.ButtonRole.ActionRole)
            button.setToolTip(help_)
            button.clicked.connect(call)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(told)
        layout.addWidget(self.search)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.count)
        layout.addWidget(buttons)
        self._filter("")
        rows = self._model.match(
            self._model.index(0, 0), Qt.ItemDataRole.DisplayRole, now, 1, Qt.MatchFlag.MatchExactly
        )
        if rows:
            self.list.setCurrentIndex(rows[0])
            self.list.scrollTo(rows[0], QListView.ScrollHint.PositionAtCenter)
        self.search.setFocus()

    def _filter(self, text: str) -> None:
        words = [f"(?=.*{part})" for part in map(_literal, text.split())]
        self._model.setFilterRegularExpression("".join(words))
        count = self._model.rowCount()
        self.count.setText(f"{count} lens{'' if count == 1 else 'es'}")
        if count and not self.list.currentIndex().isValid():
            self.list.setCurrentIndex(self._model.index(0, 0))

    def _take(self, remember: bool) -> None:
        index = self.list.currentIndex()
        if index.isValid():
            self.taken.emit(str(index.data()), remember)
            self.accept()

    def _say(self, value: str) -> None:
        self.taken.emit(value, False)
        self.accept()


def _literal(text: str) -> str:
    return QRegularExpression.escape(text)
