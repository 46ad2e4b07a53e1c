"""Every command of the window: words, keys, help. The menu, the shortcuts and the list of keys are made from
it."""

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


#: Menus in their order.
MENUS = ("File", "Frame", "Proof", "Panes", "See", "Judge", "Help")
#: Left-hand letters lead through frames and proofs while the right hand keeps the mouse.
COMMANDS = (
    Command("File", "open", "Open files …", "Ctrl+O"),
    Command("File", "open_folder", "Open a folder …", "Ctrl+Shift+O"),
    Command(
        "File",
        "as_it_was",
        "Open as it was",
        "Ctrl+B",
        "The frames, panes, zoom and probe that stood here when the window was closed.",
    ),
    Command(
        "File",
        "keep_bench",
        "Keep this comparison …",
        "Ctrl+D",
        "Panes, proofs, zoom and probe, under a name.",
    ),
    Command("File", "kept", "Kept comparisons …", "Ctrl+Shift+E", "Show one again, or remove it."),
    Command(
        "File",
        "copy_card",
        "Copy a card …",
        "Ctrl+I",
        "Verified by checksum, renamed by a pattern; nothing is deleted.",
    ),
    Command("File", "write", "Write the chosen proof", "Ctrl+Return"),
    Command("File", "queue_it", "Put the selected frames into the queue", "Ctrl+Shift+Return"),
    Command("File", "queue", "Show the queue", "Ctrl+K"),
    Command(
        "File",
        "destinations",
        "Destinations …",
        "Ctrl+Shift+K",
        "Named ways to write: format, size, sharpening, names.",
    ),
    Command("File", "close_item", "Close this frame", "Ctrl+W", "The file and its proofs stay."),
    Command("File", "preferences", "Preferences …", "Ctrl+,"),
    Command("File", "quit", "Quit", "Ctrl+Q"),
    Command(
        "Frame",
        "sheet",
        "Contact sheet, or back to the bench",
        "Shift+S",
        "All frames at once: sort, filter, mark, choose.",
    ),
    Command("Frame", "keep", "Keep this frame and go on", "]"),
    Command("Frame", "reject", "Reject this frame and go on", "[", "A mark in its sidecar; the file stays."),
    Command("Frame", "unmark", "Take the mark away", "\\"),
    Command(
        "Frame",
        "cull",
        "Choose among alike frames",
        "Shift+C",
        "Those selected, or those like this one, side by side on one spot; each is kept or rejected, then "
        "the next follow.",
    ),
    *(
        Command("Frame", f"stars_{n}", f"{n} star{'' if n == 1 else 's'}" if n else "No stars", f"Alt+{n}")
        for n in range(6)
    ),
    Command(
        "Frame",
        "automatic",
        "Automatic for the selected frames",
        "Shift+A",
        "Each by its own noise and light, as the preferences say of new frames.",
    ),
    Command(
        "Frame", "decisions", "What was decided, and why", "", "For the frames that automatic looked at."
    ),
    Command(
        "Frame",
        "ratings",
        "Ratings for other programs (XMP)",
        "",
        "Marks and stars of what is selected, beside the frames as XMP; what such files hold besides stays, "
        "their rating is replaced.",
    ),
    Command("Frame", "previous", "Previous frame", "W"),
    Command("Frame", "next", "Next frame", "S"),
    Command(
        "Frame",
        "merge",
        "Merge its bracket",
        "M",
        "Merges the bracket of the chosen frame to scene-linear light.",
    ),
    Command(
        "Frame",
        "merge_how",
        "Merge the selected frames …",
        "Shift+G",
        "To light, for detail, joined halves or a mean; which frame is the reference, what moved.",
    ),
    Command(
        "Frame", "together", "These frames are one set", "", "Where the exposures or times did not tell."
    ),
    Command("Frame", "apart", "Take this frame out of its set", ""),
    Command(
        "Frame",
        "plan",
        "Plan a bracket …",
        "",
        "Shutter times, which of them a hand can hold, how many are needed.",
    ),
    Command("Proof", "undo", "Undo", "Ctrl+Z"),
    Command("Proof", "redo", "Redo", "Ctrl+Shift+Z"),
    Command("Proof", "previous_proof", "Previous proof", "A"),
    Command("Proof", "next_proof", "Next proof", "D"),
    Command("Proof", "new_proof", "New proof from this one", "N"),
    Command(
        "Proof",
        "renew_proof",
        "Renew: the same settings by the newest methods",
        "Shift+N",
        "As a new proof; the old one keeps its look beside it.",
    ),
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
    Command(
        "Proof",
        "preset_strip",
        "All presets as pictures of this frame",
        "Shift+F",
        "The whole frame under every preset, shipped and your own; click on the one you want.",
    ),
    Command("Proof", "presets", "Presets …", "Shift+J", "Apply, save, bring in and take out presets."),
    Command(
        "Proof",
        "settings_from",
        "Take settings from a file …",
        "",
        "As a new proof: the settings beside another picture, or a few written by hand (JSON).",
    ),
    Command("Proof", "grey", "Pick a grey spot", "G"),
    Command("Proof", "suggest", "Suggest exposure and recovery", "L"),
    Command("Proof", "hand_on", "Hand settings on …", "J", "Chosen stations of this proof to other frames."),
    Command(
        "Proof",
        "frame_it",
        "Crop, turn, set upright …",
        "Shift+W",
        "The whole frame with its crop; lines drawn along what should be level, upright or straight.",
    ),
    Command(
        "Proof",
        "regions",
        "Regions …",
        "Shift+T",
        "Parts of the picture with changes of their own: gradients, brush, tones, hues, what is in focus, "
        "the subject.",
    ),
    Command(
        "Proof", "region_switch", "The chosen region off, or on again", "Shift+D", "Without one, all of them."
    ),
    Command("Proof", "turn_left", "Quarter turn to the left", ","),
    Command("Proof", "turn_right", "Quarter turn to the right", "."),
    Command("Proof", "mirror", "Exchange left and right", "Shift+M"),
    Command("Proof", "lens", "Lens profile …", "Shift+L", "Chosen by name from the lens database."),
    Command("Proof", "reset", "Back to an untouched proof", "Ctrl+Backspace"),
    Command(
        "Judge",
        "compare",
        "Compare the selected frames",
        "Ctrl+E",
        "Side by side at 100 % on the spot that tells most.",
    ),
    Command(
        "Judge",
        "decide",
        "Decide pair by pair",
        "Ctrl+J",
        "Which proof is better, blind if wished; then a tally.",
    ),
    Command("Judge", "report", "Report of the panes …", "Ctrl+R"),
    Command("Judge", "ladder", "Ladder of exposures …", "Ctrl+L", "How far a camera can be pushed."),
    Command(
        "Judge", "next_spot", "Next judging spot", "Space", "Texture, edge, shadow, even place, lettering …"
    ),
    Command("Judge", "previous_spot", "Previous judging spot", "Shift+Space"),
    Command("Panes", "pane", "Choose the next pane", "T"),
    Command("Panes", "more_panes", "One pane more", "I"),
    Command("Panes", "fewer_panes", "One pane less", "O"),
    Command("Panes", "arrange", "One pane, or all side by side", "Z"),
    Command("See", "difference", "Difference of the chosen pane and the next", "U"),
    Command("Judge", "before", "Beside it: the same without the open station", "Shift+B"),
    Command("See", "blink_timed", "Blink by itself", "Shift+Q"),
    Command("See", "loupe", "Loupe at the pointer, in all panes", "C"),
    Command("Panes", "divide", "Dividing line", "V"),
    Command("Panes", "swap", "Exchange the pane and the next", "X"),
    Command("See", "match", "Equal brightness", "E"),
    Command("Panes", "align", "Lay frames of one scene on each other", "Shift+E"),
    Command(
        "Panes",
        "free",
        "Each pane with its own zoom and place",
        "Shift+V",
        "Again: all where the chosen one is.",
    ),
    Command("See", "marks", "Hatch what is clipped", "H"),
    Command("See", "limits", "Limits of the hatching …", "Shift+H"),
    Command(
        "See", "next_look", "Next look", "K", "Other ways to see all panes; the results stay as they are."
    ),
    Command("See", "previous_look", "Previous look", "Shift+K"),
    Command(
        "See",
        "deblur_waits",
        "Deblur only when I say so, or at once again",
        "",
        "For slow machines and long series: panes show proofs without their deblurring and say that it "
        "waits. Files are always deblurred.",
    ),
    Command("See", "deblur_now", "Deblur the chosen pane now", "Shift+Y", "Where deblurring waits."),
    Command("See", "plain_look", "Back to the picture", "Y"),
    Command("Judge", "probe", "Probe to the middle", "P"),
    Command("Panes", "actual", "100 % and back to fit", "R"),
    Command("Panes", "closer", "Closer", "+"),
    Command("Panes", "farther", "Farther", "-"),
    Command(
        "See",
        "monitor",
        "Monitor profile …",
        "Ctrl+M",
        "An ICC profile that describes your screen; pictures are shown through it.",
    ),
    Command(
        "See",
        "medium",
        "Soft proof …",
        "Shift+P",
        "All panes as on a paper, by its ICC profile; no file changes.",
    ),
    Command("See", "surround", "Next grey around the pictures", "Shift+R"),
    Command("See", "full", "Full screen, everything else hidden", "F11"),
    Command("Help", "demo", "Show the demo pictures", "Ctrl+Shift+D", "Made once, in about two minutes."),
    Command("Help", "path", "The two-minute path", "Shift+F1"),
    Command("Help", "about", "About Irvane, and licences", ""),
    Command(
        "Help",
        "report_fault",
        "Copy a report of a fault",
        "",
        "Versions and the end of the log, without pictures, places, names and serial numbers, to be pasted.",
    ),
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
    menus = {name: window.menuBar().addMenu(name) for name in MENUS}
    for command in COMMANDS:
        action = QAction(command.words, window)
        action.setShortcut(QKeySequence(command.keys))
        if command.name == "closer":
            action.setShortcuts([QKeySequence("+"), QKeySequence("=")])
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        if command.help:
            action.setToolTip(command.help)
        action.triggered.connect(lambda _checked=False, t=targets[command.name]: t())
        menus[command.menu].addAction(action)
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
            (c.keys.replace("+", " + ") if len(c.keys) > 1 else c.keys or "in the menu", c.words)
            for c in COMMANDS
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
