"""Destinations in a dialog: the list, and what the chosen one writes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from irvane.core.colour.spaces import SPACES
from irvane.core.errors import IrvaneError, plain_text
from irvane.core.files.preferences import preferences
from irvane.core.finish.destination import (
    EXISTING,
    FORMATS,
    METADATA,
    Destination,
    checked,
    destinations,
    remove_destination,
    save_destination,
)
from irvane.core.finish.medium import MEDIA
from irvane.core.finish.naming import WORDS, Named, file_name
from irvane.desktop.item import Item
from irvane.desktop.numbers import WholeField

#: Fields that only some formats have.
_ONLY = {
    "compress": ("tiff",),
    "space": ("tiff", "jpeg", "png", "exr", "avif"),
    "quality": ("jpeg", "jxl", "avif"),
    "size": ("tiff", "jpeg", "png", "exr", "jxl", "avif"),
    "grow": ("tiff", "jpeg", "png", "exr", "jxl", "avif"),
    "ppi": ("tiff", "jpeg", "png", "exr", "jxl", "avif"),
    "medium": ("tiff", "jpeg", "png", "jxl", "avif"),
    "noise_done": ("dng",),
    "lens_done": ("dng",),
}


class DestinationsDialog(QDialog):
    """Choose, change, save and remove destinations.

    Signals
    -------
    chosen(name, others) : this one is meant from now on, and so are the others that are ticked.
    """

    chosen = Signal(str, tuple)

    def __init__(self, now: Sequence[str], items: list[Item], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Destinations")
        self.resize(760, 520)
        self._items = items
        self.list = QListWidget()
        self.list.setAccessibleName("Destinations")
        self.list.setFixedWidth(170)
        self.list.setToolTip("Those with a tick are written to as well.")
        self.list.currentTextChanged.connect(self._show)
        form = QFormLayout()
        paper = "12x8in" if preferences().inches else "30x20cm"
        self.fields: dict[str, QWidget] = {}
        self._add(form, "name", "Name", QLineEdit(), "What you call it.")
        self._add(
            form,
            "format",
            "Format",
            self._choice({k: v.words for k, v in FORMATS.items()}),
            "The kind of file.",
        )
        self._add(form, "depth", "Depth", QComboBox(), "Bits per colour.")
        self._add(
            form, "toned", "Light", QCheckBox("with tone, as it is seen"),
            "OpenEXR and TIFF of 32 bits hold plain light, as it was in the scene: before Light, Colour, "
            "sharpening and rendering. With tone: what these make of it. A linear DNG always holds the "
            "camera's light.",
        )  # fmt: skip
        self._add(
            form,
            "compress",
            "",
            QCheckBox("smaller (deflate)"),
            "Loses nothing; takes longer to write.",
        )
        self._add(
            form,
            "space",
            "Colour space",
            self._choice({k: v.name for k, v in SPACES.items()}),
            "Its profile is put inside.",
        )
        self._add(form, "quality", "Quality", self._number(1, 100, " %"), "Of JPEG, JPEG XL and AVIF.")
        self._add(form, "size", "Size", QLineEdit(), f"full, 2048 (longer side), 1920x1080, 50% or {paper}.")
        self._add(
            form, "grow", "", QCheckBox("enlarge what is smaller"),
            "Up to four times, by what each proof's Enlarged by says; otherwise smaller pictures stay as "
            "they are.",
        )  # fmt: skip
        self._add(
            form,
            "ppi",
            "Resolution",
            self._number(10, 4800, " ppi"),
            "Noted in the file; paper sizes count with it.",
        )
        self._add(
            form,
            "medium",
            "Sharpened for",
            self._choice({k: v[0] for k, v in MEDIA.items()}),
            "What the medium takes away.",
        )
        done = QCheckBox("noise removed")
        self._add(form, "noise_done", "In the pixels", done, "Otherwise the program that goes on removes it.")
        done = QCheckBox("lens corrected and cropped")
        self._add(
            form, "lens_done", "", done, "Otherwise the corrections go along for the program that goes on."
        )
        self._add(form, "metadata", "Metadata", self._choice(METADATA), "What of the frame's goes along.")
        self._add(form, "author", "Author", QLineEdit(), "Written in place of the frame's.")
        self._add(form, "rights", "Rights", QLineEdit(), "Copyright, in place of the frame's.")
        self._add(form, "credit", "Credit line", QLineEdit(), "IPTC: who is to be named.")
        self._add(form, "email", "Contact e-mail", QLineEdit(), "IPTC: the creator's address.")
        self._add(form, "web", "Contact web page", QLineEdit(), "IPTC: the creator's page.")
        words = "\n".join(f"{{{word}}}: {told}" for word, told in WORDS.items())
        self._add(form, "pattern", "File name", QLineEdit(), f"Words in braces stand for:\n{words}")
        self._add(form, "folder", "Folder", QLineEdit(), "Beside the frame, or a whole path.")
        self._add(form, "existing", "If it exists", self._choice(EXISTING), "Originals are never replaced.")
        self._add(
            form, "read_back", "", QCheckBox("read back and compare"),
            "Every file is read again after it is written, and held against what was to be written.",
        )  # fmt: skip
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        buttons = QHBoxLayout()
        for label, help_, call in (
            ("Save", "Under this name; another of it is replaced.", self._save),
            ("Remove", "One's own; a shipped one of the name comes back.", self._remove),
        ):
            button = QPushButton(label)
            button.setToolTip(help_)
            button.clicked.connect(lambda _c=False, c=call: c())
            buttons.addWidget(button)
        buttons.addStretch(1)
        cancel = QPushButton("Cancel")
        cancel.clicked.connect(self.reject)
        buttons.addWidget(cancel)
        self.use = QPushButton("Write to this one")
        self.use.setDefault(True)
        self.use.setToolTip("The queue writes to the one that is shown, and to those with a tick.")
        self.use.clicked.connect(self._use)
        self.list.itemChanged.connect(lambda _item: self._count())
        self.list.currentTextChanged.connect(lambda _name: self._count())
        buttons.addWidget(self.use)
        right = QVBoxLayout()
        fields = QWidget()
        fields.setLayout(form)
        scroll = QScrollArea()
        scroll.setWidget(fields)
        scroll.setAccessibleName("What the destination writes")
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        right.addWidget(scroll, 1)
        right.addWidget(self.told)
        right.addLayout(buttons)
        layout = QHBoxLayout(self)
        layout.addWidget(self.list)
        layout.addLayout(right, 1)
        self._filling = False
        self._ticked = set(now[1:])
        self._fill(now[0])

    def _add(self, form: QFormLayout, name: str, label: str, widget: QWidget, help_: str) -> None:
        widget.setToolTip(help_)
        widget.setAccessibleName(label or name)
        self.fields[name] = widget
        form.addRow(label, widget)
        for signal in ("textEdited", "activated", "toggled", "valueChanged"):
            if hasattr(widget, signal):
                getattr(widget, signal).connect(lambda *_args: self._changed())
                break

    @staticmethod
    def _choice(options: dict[str, str]) -> QComboBox:
        box = QComboBox()
        for key, words in options.items():
            box.addItem(words, key)
        return box

    @staticmethod
    def _number(low: int, high: int, unit: str) -> WholeField:
        box = WholeField()
        box.setRange(low, high)
        box.setSuffix(unit)
        return box

    def _fill(self, now: str) -> None:
        self.list.clear()
        names = [one.name for one in destinations()]
        for name in names:
            entry = QListWidgetItem(name, self.list)
            entry.setCheckState(Qt.CheckState.Checked if name in self._ticked else Qt.CheckState.Unchecked)
        self.list.setCurrentRow(names.index(now) if now in names else 0)

    def _show(self, name: str) -> None:
        one = next((d for d in destinations() if d.name == name), None)
        if one is None:
            return
        self._filling = True
        for key, value in asdict(one).items():
            widget = self.fields[key]
            if key == "depth":
                self._depths(one.format, one.depth)
            elif isinstance(widget, QLineEdit):
                widget.setText(str(value))
            elif isinstance(widget, QComboBox):
                widget.setCurrentIndex(widget.findData(value))
            elif isinstance(widget, QCheckBox):
                widget.setChecked(bool(value))
            elif isinstance(widget, WholeField):
                widget.setValue(round(value))
        self._filling = False
        self._preview()

    def _depths(self, kind: str, depth: int) -> None:
        box = self.fields["depth"]
        assert isinstance(box, QComboBox)
        box.clear()
        for bits in FORMATS[kind].depths:
            box.addItem({17: "half float", 32: "32 bit float"}.get(bits, f"{bits} bit"), bits)
        box.setCurrentIndex(max(box.findData(depth), 0))

    def values(self) -> dict[str, Any]:
        """What the fields hold."""
        found: dict[str, Any] = {}
        for key, widget in self.fields.items():
            if isinstance(widget, QLineEdit):
                found[key] = widget.text()
            elif isinstance(widget, QComboBox):
                found[key] = widget.currentData()
            elif isinstance(widget, QCheckBox):
                found[key] = widget.isChecked()
            elif isinstance(widget, WholeField):
                found[key] = widget.value()
        return found

    def _changed(self) -> None:
        if self._filling:
            return
        kind = self.fields["format"]
        depth = self.fields["depth"]
        assert isinstance(kind, QComboBox) and isinstance(depth, QComboBox)
        if depth.findData(FORMATS[kind.currentData()].depths[0]) < 0 or depth.count() != len(
            FORMATS[kind.currentData()].depths
        ):
            self._depths(kind.currentData(), depth.currentData() or 16)
        self._preview()

    def _enable(self, kind: str) -> None:
        """Only what a format has can be chosen."""
        for name, kinds in _ONLY.items():
            self.fields[name].setEnabled(kind in kinds)

    def _preview(self) -> None:
        kind = self.fields["format"]
        assert isinstance(kind, QComboBox)
        self._enable(kind.currentData())
        try:
            one = checked(self.values())
            names = [
                file_name(one.pattern, Named(item.path, "", number, item.info, one.name), one.ending)
                for number, item in enumerate(self._items[:3], 1)
            ]
        except IrvaneError as error:
            self.told.setText(str(error))
            return
        examples = f" Names: {', '.join(names)}." if names else ""
        self.told.setText(plain_text(f"{one.words()}.{examples}", 300))

    def _made(self) -> Destination | None:
        try:
            return checked(self.values())
        except IrvaneError as error:
            self.told.setText(str(error))
            return None

    def _save(self) -> None:
        one = self._made()
        if one is None:
            return
        try:
            save_destination(one)
        except IrvaneError as error:
            self.told.setText(str(error))
            return
        self._ticked = set(self.ticked())
        self._fill(one.name)

    def ticked(self) -> tuple[str, ...]:
        """Names of those with a tick."""
        entries = (self.list.item(row) for row in range(self.list.count()))
        return tuple(entry.text() for entry in entries if entry.checkState() == Qt.CheckState.Checked)

    def _count(self) -> None:
        shown = self.list.currentItem().text() if self.list.currentItem() else ""
        count = len({*self.ticked(), shown} - {""})
        self.use.setText("Write to this one" if count < 2 else f"Write to these {count}")

    def _remove(self) -> None:
        name = self.list.currentItem().text() if self.list.currentItem() else ""
        remove_destination(name)
        self._fill(name)

    def _use(self) -> None:
        one = self._made()
        if one is None:
            return
        kept = next((d for d in destinations() if d.name == one.name), None)
        if kept != one:
            self._save()
        self.chosen.emit(one.name, tuple(name for name in self.ticked() if name != one.name))
        self.accept()
