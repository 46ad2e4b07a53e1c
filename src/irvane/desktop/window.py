"""The window: rail, bench, shelf and line, and the commands that connect them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QMainWindow,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import IrvaneError
from irvane.core.files.sets import OPENABLE
from irvane.core.line.merging import MergeSource
from irvane.core.settings import STATIONS, Settings
from irvane.desktop import theme
from irvane.desktop.actions import KeysDialog, make_actions
from irvane.desktop.backstage import Backstage
from irvane.desktop.bench.bench import DIVIDED, TWO, Bench
from irvane.desktop.line.band import Band
from irvane.desktop.line.shelf import Shelf
from irvane.desktop.line.words import station_words
from irvane.desktop.path import PathStrip
from irvane.desktop.rail.rail import Rail
from irvane.desktop.session import BARE, Item, Session
from irvane.desktop.writing.strip import WritingStrip
from irvane.desktop.writing.target import ask, default_folder, target_for

_EMPTY = (
    "Drop frames or a folder here, or open them with Ctrl+O.\n\n"
    "Raw files of any camera, TIFF, JPEG, PNG and OpenEXR. Nothing is ever written to them."
)
#: Milliseconds that a sentence stays.
_SENTENCE = 9000


class Window(QMainWindow):
    """The main window."""

    def __init__(self, backstage: Backstage | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Irvane")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.session = Session(self)
        self.backstage = backstage or Backstage(self)
        self.folder: Path | None = None
        self._surround = 1
        self._waiting: list[int] = []
        self._learning: set[int] = set()
        self._writing = False
        self._opened_first = False
        self._before_full: dict[QWidget, bool] = {}
        self.rail = Rail(self.session)
        self.bench = Bench(self.session, self.backstage)
        self.bench.set_hint(_EMPTY)
        self.shelf = Shelf()
        self.band = Band()
        self.strip = WritingStrip()
        self.path = PathStrip()
        self.path.hide()
        self._lay_out()
        self._connect()
        self.actions_by_name = make_actions(self, self._targets())
        for number, station in enumerate(STATIONS):
            action = self.addAction(station)
            action.setShortcut(str(number + 1))
            action.triggered.connect(lambda _checked=False, s=station: self.band.toggle(s))
        self._sentence = QTimer(self, singleShot=True, interval=_SENTENCE)
        self._sentence.timeout.connect(lambda: self.bench.note.setText(""))
        self._group_soon = QTimer(self, singleShot=True, interval=150)
        self._group_soon.timeout.connect(self._group)
        self.shelf.hide()
        QApplication.instance().installEventFilter(self)  # type: ignore[union-attr]
        self._update_controls()

    def _lay_out(self) -> None:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        upper = QHBoxLayout()
        upper.setContentsMargins(0, 0, 0, 0)
        upper.setSpacing(2)
        upper.addWidget(self.rail)
        upper.addWidget(self.bench, 1)
        column.addWidget(self.path)
        column.addLayout(upper, 1)
        column.addWidget(self.strip)
        column.addWidget(self.shelf)
        column.addWidget(self.band)
        self.setCentralWidget(middle)

    def _connect(self) -> None:
        back, bench, shelf = self.backstage, self.bench, self.shelf
        self.rail.frame_chosen.connect(bench.show_frame)
        self.rail.merge_asked.connect(self.merge)
        self.rail.verticalScrollBar().valueChanged.connect(self._learn_visible)
        bench.chosen_changed.connect(self._update_controls)
        bench.proof_menu.connect(self.proof_menu)
        for view in bench.views:
            view.spot_chosen.connect(self._spot)
        shelf.changed.connect(self.edit)
        shelf.pick_grey.connect(self.pick_grey)
        shelf.as_shot.connect(lambda: self._edit_many({"colour.temperature": None, "colour.tint": None}))
        shelf.write.connect(self.write)
        shelf.choose_folder.connect(self.choose_folder)
        self.band.chosen.connect(self._station)
        self.strip.cancel.connect(back.cancel_writing)
        self.session.proofs_changed.connect(self._save)
        self.session.item_changed.connect(lambda _n: self._update_controls())
        back.collected.connect(self._collected)
        back.learned.connect(self._learned)
        back.item_failed.connect(self._item_failed)
        back.grouped.connect(self.session.group)
        back.improved.connect(lambda _key: self._update_controls())
        back.picked.connect(self._picked)
        back.said.connect(self.say)
        back.written.connect(self._written)
        back.writing.connect(self.strip.advance)
        back.saved.connect(self._saved)

    def _targets(self) -> dict[str, object]:
        bench = self.bench
        return {
            "open": self.open_dialog,
            "open_folder": self.open_folder_dialog,
            "write": self.write,
            "close_item": self.close_item,
            "quit": self.close,
            "previous": lambda: self.rail.step(-1),
            "next": lambda: self.rail.step(1),
            "merge": lambda: self.merge(None),
            "undo": self.session.undo.undo,
            "redo": self.session.undo.redo,
            "previous_proof": lambda: self.step_proof(-1),
            "next_proof": lambda: self.step_proof(1),
            "new_proof": self.new_proof,
            "rename_proof": self.rename_proof,
            "remove_proof": self.remove_proof,
            "bare": self.toggle_bare,
            "grey": lambda: self.pick_grey(not self.bench.views[0].picking),
            "reset": self.reset_proof,
            "pane": lambda: bench.choose(1 - bench.chosen),
            "arrange": bench.next_arrangement,
            "divide": lambda: bench.set_arrangement(TWO if bench.arrangement == DIVIDED else DIVIDED),
            "swap": bench.swap,
            "match": lambda: bench.set_matching(not bench.matching),
            "probe": bench.probe_to_centre,
            "actual": lambda: bench.set_zoom(1.0 if bench.viewport.zoom is None else None),
            "closer": lambda: bench.step_zoom(1),
            "farther": lambda: bench.step_zoom(-1),
            "surround": self.next_surround,
            "full": self.toggle_full,
            "path": lambda: self.path.setVisible(not self.path.isVisible()),
            "keys": lambda: KeysDialog(self).exec(),
        }  # type: ignore[return-value]

    # sentences

    def say(self, sentence: str) -> None:
        """Show a sentence for a while."""
        self.bench.note.setText(sentence if len(sentence) < 110 else sentence[:107] + "…")
        self.bench.note.setToolTip(sentence)
        self._sentence.start()

    # opening

    def open_paths(self, paths: list[Path]) -> None:
        """Open files and folders."""
        if paths:
            self.backstage.collect(paths)

    def open_dialog(self) -> None:
        """Choose files."""
        endings = " ".join(f"*{e} *{e.upper()}" for e in sorted(OPENABLE))
        names, _ = QFileDialog.getOpenFileNames(
            self, "Open frames", "", f"Pictures ({endings});;All files (*)"
        )
        self.open_paths([Path(name) for name in names])

    def open_folder_dialog(self) -> None:
        """Choose a folder."""
        name = QFileDialog.getExistingDirectory(self, "Open a folder")
        self.open_paths([Path(name)] if name else [])

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        self.open_paths([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    def _collected(self, paths: list[Path], problems: list[str]) -> None:
        if problems:
            self.say("; ".join(problems))
        items = self.session.add_files(paths)
        fresh = [item.number for item in items if not item.ready and item.number not in self._learning]
        self._waiting += fresh
        self._learn_visible()
        if items and (self.bench.item(0) is None or not self._opened_first):
            self._opened_first = True
            self.rail.choose(items[0].number)

    def _learn_visible(self) -> None:
        """Read what can be seen in the rail first, then the rest."""
        seen = set(self.rail.visible_items())
        for number in sorted(self._waiting, key=lambda n: (n not in seen,)):
            item = self.session.items.get(number)
            if item is None:
                continue
            if number not in self._learning or number in seen:
                self._learning.add(number)
                self.backstage.learn(number, item.source, 3 if number in seen else 4)

    def _learned(self, number: int, info: object, preview: object, sidecar: object) -> None:
        self._forget_waiting(number)
        self.session.learned(number, info, preview, sidecar)  # type: ignore[arg-type]
        for pane in range(2):
            content = self.bench.contents[pane]
            item = self.session.items.get(number)
            if item is not None and content.item == number and content.proof != BARE:
                content.proof = item.sidecar.current
        self.bench.request()
        self._group_soon.start()

    def _item_failed(self, number: int, sentence: str) -> None:
        self._forget_waiting(number)
        self.session.failed(number, sentence)
        self.say(sentence)
        self._group_soon.start()

    def _forget_waiting(self, number: int) -> None:
        if number in self._waiting:
            self._waiting.remove(number)
        self._learning.discard(number)

    def _group(self) -> None:
        if self._waiting:
            return
        numbers = [
            n
            for n in self.session.order
            if not self.session.items[n].is_merge and not self.session.items[n].problem
        ]
        items = [self.session.items[n] for n in numbers]
        pictures = [item.preview.pixels if item.preview is not None else None for item in items]
        self.backstage.group(numbers, [item.info for item in items], pictures)

    def close_item(self) -> None:
        """Close the chosen frame; its file and its proofs stay."""
        item = self.chosen_item()
        if item is None:
            return
        self.rail.step(1 if self.rail.currentIndex().row() + 1 < len(self.rail.rows.rows) else -1)
        for pane in range(2):
            if self.bench.contents[pane].item == item.number:
                self.bench.show_item(pane, None)
        self.session.remove(item.number)

    # the chosen proof

    def chosen_item(self) -> Item | None:
        """The item of the chosen pane."""
        return self.bench.item(self.bench.chosen)

    @property
    def chosen_proof(self) -> int:
        """The proof of the chosen pane."""
        return self.bench.contents[self.bench.chosen].proof

    def edit(self, path: str, value: object) -> None:
        """Change one setting of the chosen proof."""
        self._edit_many({path: value})

    def _edit_many(self, values: dict[str, object]) -> None:
        item = self.chosen_item()
        if item is None or not item.ready:
            return
        if self.chosen_proof == BARE:
            self.say("The bare frame has no settings. Press B for the proof, or N for a new one.")
            return
        try:
            self.session.edit(item.number, self.chosen_proof, values)
        except IrvaneError as error:
            self.say(str(error))

    def step_proof(self, direction: int) -> None:
        """Show the next or previous proof of the frame in the chosen pane; the bare frame counts as the first."""
        item = self.chosen_item()
        if item is not None:
            count = len(item.sidecar.proofs)
            self._show_proof(self.bench.chosen, (self.chosen_proof + 1 + direction) % (count + 1) - 1)

    def _show_proof(self, pane: int, proof: int) -> None:
        item = self.bench.item(pane)
        if item is not None:
            self.bench.show_proof(pane, proof)
            if proof != BARE and item.sidecar.current != proof and item.ready:
                item.sidecar = replace(item.sidecar, current=proof)
                self._save(item.number)

    def new_proof(self) -> None:
        """A new proof that starts from the chosen one, shown in its place; the old one moves to the other pane."""
        item = self.chosen_item()
        if item is None or not item.ready:
            return
        old = self.chosen_proof
        fresh = self.session.new_proof(item.number, old)
        self.bench.show_proof(self.bench.chosen, fresh)
        other = 1 - self.bench.chosen
        if self.bench.contents[other].item == item.number and old != BARE:
            self.bench.show_proof(other, old)

    def rename_proof(self) -> None:
        """Ask for another name."""
        item = self.chosen_item()
        if item is None or self.chosen_proof == BARE:
            return
        name, good = QInputDialog.getText(
            self, "Rename the proof", "Name", text=item.proof_name(self.chosen_proof)
        )
        if good:
            self.session.rename_proof(item.number, self.chosen_proof, name)

    def remove_proof(self) -> None:
        """Remove the chosen proof; undo brings it back."""
        item = self.chosen_item()
        if item is not None:
            self.session.remove_proof(item.number, self.chosen_proof)

    def toggle_bare(self) -> None:
        """The bare frame in the chosen pane, or the proof again."""
        item = self.chosen_item()
        if item is not None:
            self._show_proof(self.bench.chosen, item.sidecar.current if self.chosen_proof == BARE else BARE)

    def reset_proof(self) -> None:
        """All settings back to an untouched proof."""
        item = self.chosen_item()
        if item is not None and self.chosen_proof != BARE:
            self.session.replace_settings(
                item.number, self.chosen_proof, Settings(), "back to an untouched proof"
            )

    def proof_menu(self, pane: int) -> None:
        """The proofs of a pane's frame, to choose from."""
        item = self.bench.item(pane)
        if item is None:
            return
        self.bench.choose(pane)
        menu = QMenu(self)
        for number, proof in enumerate(item.sidecar.proofs):
            action = menu.addAction(proof.name, lambda n=number: self._show_proof(pane, n))
            action.setCheckable(True)
            action.setChecked(number == self.bench.contents[pane].proof)
        bare = menu.addAction("bare", lambda: self._show_proof(pane, BARE))
        bare.setCheckable(True)
        bare.setChecked(self.bench.contents[pane].proof == BARE)
        menu.addSeparator()
        for name in ("new_proof", "rename_proof", "remove_proof"):
            menu.addAction(self.actions_by_name[name])
        caption = self.bench.captions[pane]
        menu.popup(caption.proof.mapToGlobal(caption.proof.rect().bottomLeft()))

    def _save(self, number: int) -> None:
        item = self.session.items[number]
        self.backstage.save(number, item.source, item.sidecar)

    def _saved(self, number: int, path: Path) -> None:
        item = self.session.items.get(number)
        if item is not None and path.parent != item.path.parent:
            self.say(f"{item.path.parent} is read-only; settings are kept in {path.parent}.")

    # white balance

    def pick_grey(self, on: bool) -> None:
        """Choose a grey spot with the next click."""
        item = self.chosen_item()
        self.bench.set_picking(bool(on and item is not None))
        self.shelf.pick_button.setChecked(self.bench.views[0].picking)

    def _spot(self, x: float, y: float) -> None:
        self.pick_grey(False)
        wish = self.bench.wish(self.bench.chosen)
        if wish is not None:
            self.backstage.pick_grey(wish, x, y)

    def _picked(self, values: dict[str, object] | None, sentence: str) -> None:
        self.say(sentence)
        if values is not None:
            self._edit_many(values)

    # merging

    def merge(self, numbers: object) -> None:
        """Merge a bracket (that of the chosen frame when none is given)."""
        item = self.chosen_item()
        members = tuple(numbers) if numbers else (item.bracket if item is not None else ())  # type: ignore[arg-type]
        items = [self.session.items[n] for n in members if n in self.session.items]
        if len(items) < 2:
            self.say("This frame does not belong to a bracket.")
            return
        source = MergeSource([one.path for one in items])
        merged = self.session.add(source, after=items[-1].number)
        if not merged.ready:
            first = items[0].settings(items[0].sidecar.current)
            begin = Settings(light=first.light, colour=first.colour, acutance=first.acutance)
            # untreated, a merge looks dull: it starts from a good natural rendering
            begin = begin.with_value("light.tone_map", "photographic")
            proof = replace(merged.sidecar.proofs[0], settings=begin)
            merged.sidecar = replace(merged.sidecar, proofs=(proof,))
            self.backstage.learn(merged.number, source, 2)
            self.say("The merge starts from the photographic operator; without it a merge looks dull.")
        self.rail.choose(merged.number)

    # the line

    def _station(self, station: str) -> None:
        self.shelf.setVisible(bool(station))
        if station:
            self.shelf.open(station)
        self._update_controls()

    def _update_controls(self) -> None:
        item = self.chosen_item()
        content = self.bench.contents[self.bench.chosen]
        if item is None:
            self.band.set_words(dict.fromkeys(STATIONS, ""))
            self.shelf.show_proof(None, None, content, False)
            return
        settings = item.settings(content.proof)
        frame = (
            self.backstage.engine.best(item.source, settings.sensor)
            if item.ready and not item.problem
            else None
        )
        self.band.set_words(station_words(settings, frame))
        folder = self.folder or default_folder(item)
        self.shelf.folder.setText(f"{folder.parent.name}/{folder.name}")
        self.shelf.folder.setToolTip(f"{folder}\nClick to choose another folder.")
        if self.shelf.isVisible() or self.band.station:
            self.shelf.show_proof(settings, frame, content, content.proof != BARE and item.ready)

    # writing

    def choose_folder(self) -> None:
        """Choose where files are written to."""
        name = QFileDialog.getExistingDirectory(self, "Write into this folder")
        if name:
            self.folder = Path(name)
            self._update_controls()

    def write(self) -> None:
        """Write the chosen proof."""
        item = self.chosen_item()
        if item is None or not item.ready or item.problem:
            self.say("There is nothing to write.")
            return
        if self._writing:
            self.say("A file is being written already; wait for it, or cancel it.")
            return
        try:
            target = target_for(item, self.chosen_proof, self.folder or default_folder(item))
        except IrvaneError as error:
            self.say(str(error))
            return
        agreed = ask(self, target)
        if agreed is not None:
            self._writing = True
            self.strip.begin(agreed.path.name)
            self.backstage.write(item.source, item.settings(self.chosen_proof), agreed)

    def _written(self, _path: object, sentence: str) -> None:
        self._writing = False
        self.strip.hide()
        self.say(sentence)

    # window

    def next_surround(self) -> None:
        """Another grey around the pictures."""
        self._surround = (self._surround + 1) % len(theme.SURROUNDS)
        self.bench.set_surround(self._surround)

    def toggle_full(self) -> None:
        """Full screen with everything but the pictures hidden, and back."""
        parts = (self.rail, self.shelf, self.band, self.menuBar(), self.path)
        if self.isFullScreen():
            self.showNormal()
            for part, visible in self._before_full.items():
                part.setVisible(visible)
            self._before_full = {}
        else:
            self._before_full = {part: part.isVisible() for part in parts}
            for part in parts:
                part.hide()
            self.showFullScreen()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        # blinking lasts as long as its key is held, whatever part of the window has the focus
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            held = event.key() == Qt.Key.Key_Q and event.modifiers() == Qt.KeyboardModifier.NoModifier
            mine = isinstance(watched, QWidget) and watched.window() is self
            if held and mine and not event.isAutoRepeat() and not self._typing():
                self.bench.blink(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    @staticmethod
    def _typing() -> bool:
        focus = QApplication.focusWidget()
        return focus is not None and focus.testAttribute(Qt.WidgetAttribute.WA_InputMethodEnabled)

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        QApplication.instance().removeEventFilter(self)  # type: ignore[union-attr]
        self.backstage.close()
        event.accept()
