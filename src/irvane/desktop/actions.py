"""Every command of the window: words, keys, help. The menu, the shortcuts and the list of keys are made from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLabel,
    QMainWindow,
    QVBoxLayout,
    QWidget,
)


@dataclass(frozen=True)
class Command:
    """One command: the menu it stands in, its words, its keys, its help."""

    menu: str
    name: str
    words: str
    keys: str
    help: str = ""


#: Left-hand letters lead through frames and proofs while the right hand keeps the mouse.
COMMANDS = (
    Command("File", "open", "Open files …", "Ctrl+O"),
    Command("File", "open_folder", "Open a folder …", "Ctrl+Shift+O"),
    Command("File", "write", "Write the chosen proof", "Ctrl+Return"),
    Command("File", "close_item", "Close this frame", "Ctrl+W", "The file and its proofs stay."),
    Command("File", "quit", "Quit", "Ctrl+Q"),
    Command("Frame", "previous", "Previous frame", "W"),
    Command("Frame", "next", "Next frame", "S"),
    Command(
        "Frame",
        "merge",
        "Merge its bracket",
        "M",
        "Merges the bracket of the chosen frame to scene-linear light.",
    ),
    Command("Proof", "undo", "Undo", "Ctrl+Z"),
    Command("Proof", "redo", "Redo", "Ctrl+Shift+Z"),
    Command("Proof", "previous_proof", "Previous proof", "A"),
    Command("Proof", "next_proof", "Next proof", "D"),
    Command("Proof", "new_proof", "New proof from this one", "N"),
    Command("Proof", "rename_proof", "Rename this proof …", "F2"),
    Command("Proof", "remove_proof", "Remove this proof", "Ctrl+Delete"),
    Command("Proof", "bare", "Show the bare frame here, or the proof again", "B"),
    Command(
        "Proof",
        "strip",
        "Test strip of the setting in hand",
        "F",
        "One crop at several values side by side; click on the one you want.",
    ),
    Command("Proof", "presets", "Presets …", "Shift+J", "Apply, save, bring in and take out presets."),
    Command("Proof", "grey", "Pick a grey spot", "G"),
    Command("Proof", "suggest", "Suggest exposure and recovery", "L"),
    Command("Proof", "hand_on", "Hand settings on …", "J", "Chosen stations of this proof to other frames."),
    Command("Proof", "reset", "Back to an untouched proof", "Ctrl+Backspace"),
    Command(
        "Bench",
        "compare",
        "Compare the selected frames",
        "Ctrl+E",
        "Side by side at 100 % on the spot that tells most.",
    ),
    Command(
        "Bench",
        "decide",
        "Decide pair by pair",
        "Ctrl+J",
        "Which proof is better, blind if wished; then a tally.",
    ),
    Command("Bench", "report", "Report of the panes …", "Ctrl+R"),
    Command("Bench", "ladder", "Ladder of exposures …", "Ctrl+L", "How far a camera can be pushed."),
    Command(
        "Bench", "next_spot", "Next judging spot", "Space", "Texture, edge, shadow, even place, lettering …"
    ),
    Command("Bench", "previous_spot", "Previous judging spot", "Shift+Space"),
    Command("Bench", "pane", "Choose the next pane", "T"),
    Command("Bench", "more_panes", "One pane more", "I"),
    Command("Bench", "fewer_panes", "One pane less", "O"),
    Command("Bench", "arrange", "One pane, or all side by side", "C"),
    Command("Bench", "difference", "Difference of the chosen pane and the next", "U"),
    Command("Bench", "before", "Beside it: the same without the open station", "Shift+B"),
    Command("Bench", "blink_timed", "Blink by itself", "Shift+Q"),
    Command("Bench", "loupe", "Loupe at the pointer, in all panes", "Shift+Z"),
    Command("Bench", "divide", "Dividing line", "V"),
    Command("Bench", "swap", "Exchange the pane and the next", "X"),
    Command("Bench", "match", "Equal brightness", "E"),
    Command("Bench", "align", "Lay frames of one scene on each other", "Shift+E"),
    Command(
        "Bench",
        "free",
        "Each pane with its own zoom and place",
        "Shift+V",
        "Again: all where the chosen one is.",
    ),
    Command("Bench", "marks", "Hatch what is clipped", "H"),
    Command("Bench", "limits", "Limits of the hatching …", "Shift+H"),
    Command(
        "Bench", "next_look", "Next look", "K", "Other ways to see all panes; the results stay as they are."
    ),
    Command("Bench", "previous_look", "Previous look", "Shift+K"),
    Command("Bench", "plain_look", "Back to the picture", "Y"),
    Command("Bench", "probe", "Probe to the middle", "P"),
    Command("Bench", "actual", "100 % and back to fit", "Z"),
    Command("Bench", "closer", "Closer", "+"),
    Command("Bench", "farther", "Farther", "-"),
    Command(
        "Bench",
        "monitor",
        "Monitor profile …",
        "Ctrl+M",
        "An ICC profile that describes your screen; pictures are shown through it.",
    ),
    Command("Bench", "surround", "Next grey around the pictures", "R"),
    Command("Bench", "full", "Full screen, everything else hidden", "F11"),
    Command("Help", "demo", "Show the demo pictures", "Ctrl+Shift+D", "Made once, in about two minutes."),
    Command("Help", "path", "The two-minute path", "Shift+F1"),
    Command("Help", "keys", "All keys", "F1"),
)
#: Keys that are held, or belong to a widget; listed for completeness.
HELD = (
    ("Hold Q", "See the other pane in the same place"),
    ("1 … 7", "Open a station of the line; again closes it"),
    ("Arrow keys", "Move the picture; with Alt the probe, with Shift the dividing line (up, down: turn)"),
    ("Drag a caption", "Exchange two panes"),
    ("Double click on a name", "Back to what a new proof has"),
)


def make_actions(window: QMainWindow, targets: dict[str, Callable[[], object]]) -> dict[str, QAction]:
    """Actions with shortcuts, and the menu bar.

    Every command needs a target; a missing one raises KeyError.
    """
    actions: dict[str, QAction] = {}
    menus: dict[str, object] = {}
    for command in COMMANDS:
        action = QAction(command.words, window)
        action.setShortcut(QKeySequence(command.keys))
        if command.name == "closer":
            action.setShortcuts([QKeySequence("+"), QKeySequence("=")])
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        if command.help:
            action.setToolTip(command.help)
        action.triggered.connect(lambda _checked=False, t=targets[command.name]: t())
        menu = menus.get(command.menu)
        if menu is None:
            menu = menus[command.menu] = window.menuBar().addMenu(command.menu)
        menu.addAction(action)  # type: ignore[attr-defined]
        window.addAction(action)
        actions[command.name] = action
    return actions


class KeysDialog(QDialog):
    """The list of all keys."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        lines = [
            (c.keys.replace("+", " + ") if len(c.keys) > 1 else c.keys, c.words) for c in COMMANDS
        ] + list(HELD)
        half = -(-len(lines) // 2)
        for number, (keys, words) in enumerate(lines):
            column = 0 if number < half else 2
            key = QLabel(keys)
            key.setObjectName("muted")
            grid.addWidget(key, number % half, column)
            grid.addWidget(QLabel(words), number % half, column + 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(buttons)
