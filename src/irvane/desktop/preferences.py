"""The window of preferences: what is chosen once for all pictures."""

from __future__ import annotations

import os

import platformdirs
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import IrvaneError
from irvane.core.files.boundary import largest_megapixels
from irvane.core.files.preferences import NewFrames, Preferences, choose, preferences
from irvane.core.files.presets import list_presets, presets_folder
from irvane.core.finish.destination import chosen, destinations
from irvane.core.judge.diagnosis import NOISE_CLASSES
from irvane.core.memory import usual_budget
from irvane.core.noise.dynamic_range import CONDITIONS
from irvane.desktop.numbers import NumberField, WholeField
from irvane.desktop.plain import tip

_AS_IT_IS = "nothing but the automatic"
_SURROUNDS = ("dark grey", "middle grey", "light grey")
_METHODS = {"best": "the best way (a network)", "fast": "the fast way, for slow machines"}


class PreferencesDialog(QDialog):
    """Everything in one place.

    Signals
    -------
    changed : they were saved.
    """

    changed = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self.resize(560, 380)
        now = preferences()
        self.by_noise: dict[str, QComboBox] = {}
        pages = QTabWidget()
        pages.setAccessibleName("Pages of the preferences")
        pages.addTab(self._new_frames(now), "New frames")
        pages.addTab(self._machine(now), "This machine")
        pages.addTab(self._others(now), "Looks and writing")
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setObjectName("muted")
        keep = QPushButton("Save")
        keep.setDefault(True)
        keep.clicked.connect(self._save)
        leave = QPushButton("Cancel")
        leave.setToolTip("Nothing is changed (Esc).")
        leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addWidget(self.told, 1)
        below.addWidget(leave)
        below.addWidget(keep)
        layout = QVBoxLayout(self)
        layout.addWidget(pages, 1)
        layout.addLayout(below)

    def _new_frames(self, now: Preferences) -> QWidget:
        page, form = _page()
        names = [preset.name for preset in list_presets(presets_folder())[0]]
        wished = dict(now.new_frames.by_noise)
        for kind in NOISE_CLASSES:
            box = QComboBox()
            box.addItem(_AS_IT_IS, "")
            for name in dict.fromkeys([*names, *filter(None, [wished.get(kind)])]):
                box.addItem(f"“{name}”", name)
            box.setCurrentIndex(max(box.findData(wished.get(kind, "")), 0))
            _add(form, kind.capitalize(), box, f"The preset for frames with {kind}, as it is measured.")
            self.by_noise[kind] = box
        self.light = QCheckBox("suggest exposure and recovery for each")
        self.light.setChecked(now.new_frames.light)
        _add(form, "Light", self.light, "As L does for one frame.")
        self.by_itself = QCheckBox("do all this to new frames when they are opened")
        self.by_itself.setChecked(now.new_frames.by_itself)
        _add(form, "", self.by_itself, "Otherwise only on command, for the selected frames (Shift+A).")
        self.method = QComboBox()
        for key, words in _METHODS.items():
            self.method.addItem(words, key)
        self.method.setCurrentIndex(self.method.findData(now.new_frames.method))
        _add(form, "Noise is removed", self.method, "In new proofs; each can have its own.")
        return page

    def _machine(self, now: Preferences) -> QWidget:
        page, form = _page()
        self.largest = _number(
            now.largest_megapixels, 1e6, " MP", f"what fits ({largest_megapixels():.0f} MP now)"
        )
        _add(form, "Largest picture", self.largest, "Larger ones are refused before they are decoded.")
        self.memory = _number(
            now.memory_gb, 1024, " GB", f"as the machine has it ({usual_budget() / 1e9:.1f} GB)"
        )
        _add(
            form,
            "Memory",
            self.memory,
            "What the program may take altogether; what is beyond it waits on disk, or is made again.",
        )
        self.cache = _number(now.cache_gb, 4096, " GB", "8 GB")
        _add(
            form,
            "Results on disk",
            self.cache,
            "Pictures without noise, so that they are there at once again.",
        )
        self.threads = WholeField()
        self.threads.setRange(0, 256)
        self.threads.setSpecialValueText(f"all ({os.cpu_count()})")
        self.threads.setValue(now.threads or 0)
        _add(form, "Cores", self.threads, "How many of them compute.")
        for words, folder in (
            ("Results", platformdirs.user_cache_path("irvane")),
            ("Presets, queue", platformdirs.user_data_path("irvane")),
            ("Log", platformdirs.user_log_path("irvane")),
        ):
            label = QLabel(str(folder))
            label.setObjectName("muted")
            label.setWordWrap(True)
            form.addRow(words, label)
        form.addRow("", QLabel("Memory, disk and cores count from the next start."))
        return page

    def _others(self, now: Preferences) -> QWidget:
        page, form = _page()
        self.surround = QComboBox()
        self.surround.addItems(_SURROUNDS)
        self.surround.setCurrentIndex(now.surround)
        _add(form, "Around the pictures", self.surround, "The grey that pictures are judged on.")
        self.inches = QComboBox()
        self.inches.addItems(("centimetres", "inches"))
        self.inches.setCurrentIndex(now.inches)
        _add(form, "Lengths on paper", self.inches, "As they are told; either can be typed.")
        self.range_under = QComboBox()
        for key, condition in CONDITIONS.items():
            self.range_under.addItem(condition.words, key)
        self.range_under.setCurrentIndex(self.range_under.findData(now.range_under))
        _add(
            form,
            "Dynamic range at",
            self.range_under,
            "Where shadows end, and of how large a picture: it stands beside the figure.",
        )
        self.destination = QComboBox()
        self.destination.addItems([one.name for one in destinations()])
        self.destination.setCurrentText(chosen()[0].name)
        _add(form, "Destination", self.destination, "What the queue writes to.")
        return page

    def _save(self) -> None:
        new = NewFrames(
            tuple((kind, box.currentData()) for kind, box in self.by_noise.items() if box.currentData()),
            self.light.isChecked(),
            self.by_itself.isChecked(),
            self.method.currentData(),
        )
        try:
            choose(
                new_frames=new,
                largest_megapixels=self.largest.value() or None,
                memory_gb=self.memory.value() or None,
                cache_gb=self.cache.value() or None,
                threads=self.threads.value() or None,
                surround=self.surround.currentIndex(),
                range_under=self.range_under.currentData(),
                inches=self.inches.currentIndex() == 1,
                destination=self.destination.currentText(),
            )
        except IrvaneError as error:
            self.told.setText(str(error))
            return
        self.changed.emit()
        self.accept()


def _page() -> tuple[QWidget, QFormLayout]:
    page = QWidget()
    return page, QFormLayout(page)


def _add(form: QFormLayout, label: str, widget: QWidget, help_: str) -> None:
    widget.setToolTip(tip(help_))
    widget.setAccessibleName(label or help_)
    widget.setAccessibleDescription(help_)
    form.addRow(label, widget)


def _number(value: float | None, most: float, unit: str, unset: str) -> NumberField:
    box = NumberField()
    box.setRange(0, most)
    box.setDecimals(1)
    box.setSuffix(unit)
    box.setSpecialValueText(unset)
    box.setValue(value or 0)
    return box
