"""The window of presets: choose one, see what it would change, apply it; save, bring in and take out."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import IrvaneError
from irvane.core.files.presets import (
    ENDING,
    Preset,
    list_presets,
    presets_folder,
    read_preset,
    save_preset,
    set_aside,
    set_starting,
    starting,
)
from irvane.core.settings import Settings
from irvane.desktop.parts import Parts, change_words

_KINDS = f"Presets (*{ENDING})"


class SaveDialog(QDialog):
    """A name for a proof's settings, and which of them are kept.

    Signals
    -------
    wanted(name, parts)
    """

    wanted = Signal(str, tuple)

    def __init__(self, settings: Settings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Save this proof's settings")
        self.resize(480, 320)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name")
        self.name.setAccessibleName("Name of the preset")
        self.name.textChanged.connect(self._update)
        self.parts = Parts(settings)
        self.parts.changed.connect(self._update)
        self.keep = QPushButton("Save")
        self.keep.setDefault(True)
        self.keep.clicked.connect(self._take)
        leave = QPushButton("Cancel")
        leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addStretch(1)
        below.addWidget(leave)
        below.addWidget(self.keep)
        layout = QVBoxLayout(self)
        layout.addWidget(self.name)
        layout.addWidget(self.parts)
        layout.addStretch(1)
        layout.addLayout(below)
        self._update()

    def _update(self) -> None:
        self.keep.setEnabled(bool(self.name.text().strip() and self.parts.chosen()))

    def _take(self) -> None:
        self.wanted.emit(self.name.text().strip(), self.parts.chosen())
        self.accept()


class PresetsDialog(QDialog):
    """Presets on the left, what the chosen one does on the right.

    Signals
    -------
    applied(preset)
    """

    applied = Signal(object)

    def __init__(self, settings: Settings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Presets")
        self.resize(640, 420)
        self._settings = settings
        self.presets: list[Preset] = []
        self.names = QListWidget()
        self.names.setAccessibleName("Presets")
        self.names.currentRowChanged.connect(self._describe)
        self.names.itemActivated.connect(lambda _item: self._apply())
        self.words, self.problem = QLabel(), QLabel()
        self.words.setAccessibleName("What the preset holds and changes")
        self.problem.setAccessibleName("What went wrong")
        for label in (self.words, self.problem):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.problem.setObjectName("muted")
        self.starts = QCheckBox("New frames start with it")
        self.starts.setToolTip("Frames that have no proofs yet open with this preset in their first one.")
        self.starts.clicked.connect(self._start)
        self.buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout()
        for words, tip, act in (
            (
                "Save this proof …",
                "What this proof has in stations of your choice, as a preset of your own.",
                self._ask,
            ),
            ("Bring in …", "Copy a preset file into your presets.", self._import),
            ("Take out …", "Write the chosen preset as a file, to give it away.", self._export),
            (
                "Remove",
                "Takes your own preset out of the list; its file goes into the folder “removed” beside it.",
                self._remove,
            ),
            ("Apply", "Changes the chosen proof, in one undoable step (Return).", self._apply),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.setAutoDefault(words == "Apply")
            button.clicked.connect(act)
            self.buttons[words] = button
            row.addWidget(button)
        both = QHBoxLayout()
        both.addWidget(self.names, 2)
        right = QVBoxLayout()
        right.addWidget(self.words, 1)
        right.addWidget(self.starts)
        both.addLayout(right, 3)
        layout = QVBoxLayout(self)
        layout.addLayout(both, 1)
        layout.addWidget(self.problem)
        layout.addLayout(row)
        self._fill()

    def chosen(self) -> Preset | None:
        """The preset in the chosen line."""
        row = self.names.currentRow()
        return self.presets[row] if 0 <= row < len(self.presets) else None

    def _fill(self, name: str = "") -> None:
        self.presets, problems = list_presets(presets_folder())
        self.problem.setText(" ".join(problems))
        self.names.clear()
        self.names.addItems([p.name if p.path else f"{p.name} (shipped)" for p in self.presets])
        self.names.setCurrentRow(next((k for k, p in enumerate(self.presets) if p.name == name), 0))

    def _describe(self, _row: int) -> None:
        preset = self.chosen()
        for words in ("Take out …", "Apply"):
            self.buttons[words].setEnabled(preset is not None)
        begun = starting(presets_folder())
        self.starts.setChecked(begun is not None and preset is not None and begun.name == preset.name)
        self.buttons["Remove"].setEnabled(preset is not None and preset.path is not None)
        if preset is None:
            self.words.clear()
            return
        change = change_words(self._settings, preset.applied(self._settings))
        self.words.setText(
            f"Acts on: {', '.join(preset.stations)}.\n\nHolds: "
            f"{change_words(Settings(), preset.settings)}.\n\n"
            f"In this proof: {change}."
        )

    def _start(self, on: bool) -> None:
        preset = self.chosen()
        if preset is not None:
            self._try(lambda: set_starting(presets_folder(), preset.name if on else ""))

    def _apply(self) -> None:
        preset = self.chosen()
        if preset is not None:
            self.applied.emit(preset)
            self.accept()

    def _ask(self) -> None:
        dialog = SaveDialog(self._settings, self)
        dialog.wanted.connect(self.save)
        dialog.open()

    def save(self, name: str, parts: tuple[str, ...]) -> None:
        """Save what the proof has in some stations, or parts of them, under a name."""
        self._try(lambda: self._fill(save_preset(presets_folder(), name, self._settings, parts).name))

    def _import(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Bring in a preset", "", _KINDS)
        if path:
            self.bring_in(Path(path))

    def bring_in(self, path: Path) -> None:
        """Copy a preset file into the user's folder."""

        def work() -> None:
            found = read_preset(path)
            self._fill(save_preset(presets_folder(), found.name, found.settings, found.stations).name)

        self._try(work)

    def _export(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder for the preset's file")
        if folder:
            self.take_out(Path(folder))

    def take_out(self, folder: Path) -> None:
        """Write the chosen preset into a folder."""
        preset = self.chosen()
        if preset is not None:
            self._try(lambda: save_preset(folder, preset.name, preset.settings, preset.stations))

    def _remove(self) -> None:
        preset = self.chosen()
        if preset is not None and preset.path is not None:
            self._try(lambda: set_aside(preset))
            self._fill()

    def _try(self, work: object) -> None:
        try:
            work()  # type: ignore[operator]
        except IrvaneError as error:
            self.problem.setText(str(error))
