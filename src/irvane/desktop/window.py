"""The window: rail, bench, shelf and line, and the commands that connect them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import plain_text
from irvane.core.files.benches import last_path
from irvane.core.files.presets import Preset
from irvane.core.judge.verdicts import Judgement
from irvane.core.line.teststrip import GRADE
from irvane.core.settings import STATIONS
from irvane.desktop.appearance import Appearance
from irvane.desktop.asking import may_close
from irvane.desktop.automatic import Automatic
from irvane.desktop.bench.bench import Bench
from irvane.desktop.bench.judging import Judging
from irvane.desktop.blurring import Blurring
from irvane.desktop.coming_back import ComingBack
from irvane.desktop.culling import Culling
from irvane.desktop.deciding import DecideStrip, TallyDialog
from irvane.desktop.fitting import usual_size
from irvane.desktop.framing.framing import Framing
from irvane.desktop.hands import Hands
from irvane.desktop.item import BARE
from irvane.desktop.kept_proofs import KeptProofs
from irvane.desktop.lenses import Lenses
from irvane.desktop.line.band import Band
from irvane.desktop.line.curve import CurveEditor
from irvane.desktop.line.shelf import Shelf
from irvane.desktop.line.trail import TrailEditor
from irvane.desktop.line.words import diagnosis, station_words
from irvane.desktop.merging import Merging
from irvane.desktop.numbers import GreyedFields, turns_unasked, typing
from irvane.desktop.opening import Opening
from irvane.desktop.path import PathStrip
from irvane.desktop.plain import on_button, tip
from irvane.desktop.proofs import Proofs
from irvane.desktop.queue.queueing import Queueing
from irvane.desktop.rail.rail import Rail
from irvane.desktop.regions.regions import Regions
from irvane.desktop.reporting import Reporting
from irvane.desktop.service import RenderService
from irvane.desktop.session import Session
from irvane.desktop.sheet.sheeting import Sheeting
from irvane.desktop.sideways import Sideways
from irvane.desktop.surface import Surface
from irvane.desktop.throttle import FRAME, Throttle
from irvane.desktop.whole import Whole
from irvane.desktop.writing.strip import WritingStrip
from irvane.desktop.writing.writer import Writing

_EMPTY = (
    "Drop frames or a folder here, or open them with Ctrl+O.\nThe demo pictures are in the menu Help.\n\n"
    "Raw files of any camera, TIFF, JPEG, PNG and OpenEXR. Nothing is ever written to them."
)
_AS_IT_WAS = "Ctrl+B opens what stood here last: frames, panes, zoom.\n\n"
#: Pixels of height below which controls stand closer.
_LOW = 765


class Window(Whole):
    """The main window."""

    def __init__(self, service: RenderService | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Irvane")
        self._low = False
        self.resize(usual_size(self.style()))
        self.setAcceptDrops(True)
        self.session = Session(self)
        self.service = service or RenderService(self)
        self.rail = Rail(self.session)
        self.bench = Bench(self.session, self.service)
        self.bench.views[0].hint = (_AS_IT_WAS if last_path().exists() else "") + _EMPTY
        self.judging = Judging(self.bench)
        self.shelf = Shelf()
        self.band = Band()
        self.strip = WritingStrip()
        self.curve = CurveEditor(self.bench)
        self.trail = TrailEditor(self.bench)
        self.path = PathStrip()
        self.path.hide()
        self.opening = Opening(self.session, self.service, self.rail, self)
        self.kept_proofs = KeptProofs(self.session, self.bench, self.opening, self.service.files, self)
        self.proofs = Proofs(self.session, self.service, self.bench, self.judging, self)
        self.decide = DecideStrip(self.session, self.bench)
        self.reporting = Reporting(self.service, self.bench, self.strip, self)
        self.framing = Framing(self.proofs, self.bench, self.service, self)
        self.regions = Regions(self.proofs, self.bench, self.service, self)
        self.lenses = Lenses(self.proofs, self.service, self.framing, self)
        self.culling = Culling(self.session, self.judging, self)
        parts = (self.session, self.rail, self.bench, self.opening, self.band, self.culling)
        self.sheeting = Sheeting(*parts, self)
        self.blurring = Blurring(self.proofs, self.service, self.sheeting, self.strip, self)
        self.merging = Merging(self.proofs, self.opening, self.sheeting, self)
        self.queueing = Queueing(self.proofs, self.sheeting, self.shelf, self)
        self.queueing.beside.connect(
            lambda source, written: self.opening.open_together([source, written], self.judging.compare)
        )
        self.coming_back = ComingBack(self.session, self.bench, self.opening, self.band, self)
        self.automatic = Automatic(self.session, self.service.files, self)
        self.writing = Writing(self.service, self.proofs, self.strip, self)
        hidden = (self.rail, self.shelf, self.band, self.menuBar(), self.path)
        self.appearance = Appearance(self, self.bench, hidden)
        self._lay_out()
        self._connect()
        self.hands = Hands(self)
        self.surface = Surface(self)
        self.path.watched = self
        self.shelf.hide()
        self._greyed = GreyedFields()
        QApplication.instance().installEventFilter(self)  # type: ignore[union-attr]
        self._update_controls()
        self.queueing.greet()

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
        upper.addWidget(self.sheeting.sheet, 1)
        column.addLayout(upper, 1)
        column.addWidget(Sideways(self.framing.strip, strip=True))
        column.addWidget(Sideways(self.regions.strip, strip=True))
        column.addWidget(self.decide)
        column.addWidget(self.strip)
        column.addWidget(self.shelf)
        column.addWidget(self.band)
        self.setCentralWidget(middle)

    def _connect(self) -> None:
        self.shelf.paces = self.service.engine.paces
        back, bench, shelf, proofs = self.service, self.bench, self.shelf, self.proofs
        self.rail.frame_chosen.connect(bench.show_frame)
        self.rail.merge_asked.connect(self.merging.heading)
        bench.chosen_changed.connect(self._update_controls)
        bench.proof_menu.connect(proofs.menu)
        shelf.changed.connect(self.regions.changes.edit)
        shelf.set_back.connect(self.regions.changes.set_back)
        self.regions.another.connect(self._update_controls)
        # a region is changed on the shelf: without a station there is none
        self.regions.shown.connect(self._open_for_regions)
        shelf.grade.connect(proofs.set_grade)
        shelf.grey_of_frame.connect(proofs.grey_of_frame)
        shelf.suggest_light.connect(proofs.suggest_light)
        shelf.try_grades.connect(lambda: self.open_test_strip(GRADE))
        shelf.strip.connect(self.open_test_strip)
        shelf.curve.connect(self.curve.open)
        self.curve.changed.connect(proofs.edit)
        self.trail.changed.connect(proofs.edit)
        self.trail.sought.connect(self.blurring.find_path)
        self.blurring.told.connect(self.trail.tell)
        shelf.draw_path.connect(self.trail.open)
        shelf.measure_lens.connect(self.blurring.measure_lens)
        bench.test_strip.taken.connect(self._take_from_strip)
        bench.said.connect(self.say)
        self.queueing.offered.connect(self.say)
        self.merging.ladder.connect(self.reporting.ladder)
        shelf.held.connect(bench.show_fitting_look)
        shelf.pick_grey.connect(proofs.pick_grey)
        shelf.as_shot.connect(
            lambda: proofs.act({"colour.light": "shot", "colour.temperature": None, "colour.tint": None})
        )
        shelf.write.connect(self.writing.write)
        shelf.choose_lens.connect(self.lenses.choose)
        shelf.likely.taken.connect(self.lenses.take)
        shelf.frame_it.connect(self.framing.toggle)
        shelf.level.connect(self.framing.level)
        shelf.pick_fringe.connect(proofs.pick_fringe)
        shelf.said.connect(self.say)
        shelf.station_back.connect(proofs.station_back)
        shelf.explain.connect(lambda path: self.surface.explain(path))
        shelf.choose_folder.connect(self.writing.choose_folder)
        proofs.picking.connect(shelf.pick_button.setChecked)
        self.band.chosen.connect(self._station)
        self._controls = Throttle(self, self._update_controls, FRAME)
        self.session.item_changed.connect(lambda _n: self._controls.ask())
        self.session.item_changed.connect(lambda _n: self._bend())
        self.writing.sized.connect(self.shelf.show_size)
        self.writing.folder_changed.connect(self._update_controls)
        back.improved.connect(lambda _key: self._controls.ask())
        back.demo_ready.connect(self._demo_ready)
        self.decide.finished.connect(self._decided)
        for source in (
            self.opening, proofs, self.writing, self.reporting, self.decide, self.appearance, self.framing,
            self.regions,
            self.lenses, self.blurring, self.queueing, self.culling, self.automatic, self.merging,
            self.coming_back, back,
        ):  # fmt: skip
            source.said.connect(self.say)
        self.session.refused.connect(self.say)
        for done in (proofs.changed, self.automatic.done, self.merging.changed, self.sheeting.marked):
            done.connect(lambda words: self.say(words, "Undo", self.session.undo.undo))

    # sentences

    def say(self, sentence: str, words: str = "", call: Callable[[], object] | None = None) -> None:
        """Show a sentence until it was seen, with a button that does something about it."""
        self.surface.message.set_full(plain_text(sentence, 400), words, call)

    # opening

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        dropped = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        self.opening.open(dropped, show=True)

    def close_item(self) -> None:
        """Close the chosen frame; its file and its proofs stay."""
        item = self.proofs.item()
        if item is None:
            return
        self.rail.step(1 if self.rail.currentIndex().row() + 1 < len(self.rail.rows.rows) else -1)
        for pane in range(self.bench.count):
            if self.bench.contents[pane].item == item.number:
                self.bench.show_item(pane, None)
        self.session.remove(item.number)
        self.service.forget(item.source)

    def _demo_ready(self, folder: Path) -> None:
        self.path.setVisible(self.path.isVisible() or not self.session.items)
        self.opening.open([folder])

    # proofs

    # the line

    def _station(self, station: str) -> None:
        self.shelf.setVisible(bool(station))
        if station:
            self.shelf.open(station)
        if station != "light":
            self.curve.hide()
        if station != "acutance":
            self.trail.hide()
        self._update_controls()

    def _open_for_regions(self, on: bool) -> None:
        if on and not self.band.station:
            self.band.toggle("light")

    def _update_controls(self) -> None:
        item = self.proofs.item()
        content = self.bench.contents[self.bench.chosen]
        if item is None or self.bench.hidden:  # a blind judgement: settings would tell
            self.band.set_words(dict.fromkeys(STATIONS, ""))
            self.shelf.show_proof(None, None, content, False)
            return
        settings = item.settings(content.proof)
        frame = (
            self.service.engine.best(item.source, settings.sensor)
            if item.ready and not item.problem
            else None
        )
        self.band.set_words(station_words(settings, frame), (item.number, settings))
        if frame is not None and not frame.coarse and content.proof != BARE:
            found = diagnosis(frame)
            item.diagnosis = "\n".join((*found.findings, *found.measures))
        folder = self.writing.folder()
        assert folder is not None
        self.shelf.folder.setText(on_button(f"{folder.parent.name}/{folder.name}"))
        self.shelf.folder.setToolTip(tip(plain_text(f"{folder}") + "\nClick to choose another folder."))
        if self.shelf.isVisible() or self.band.station:
            self.curve.show_settings(settings)
            self.trail.show_settings(settings, item.number)
            seen, differs = self.regions.changes.seen_settings(settings)
            inside = differs if self.regions.region() is not None else None
            self.shelf.show_proof(seen, frame, content, content.proof != BARE and item.ready, inside)
        if self.band.station == "finish":
            self.writing.tell_size()

    def _bend(self) -> None:
        """The curve that is being drawn follows at once: its next point is put among the ones that are
        there."""
        item = self.proofs.item()
        if item is not None and (self.curve.isVisible() or self.trail.isVisible()):
            settings = item.settings(self.bench.contents[self.bench.chosen].proof)
            self.curve.show_settings(settings)
            self.trail.show_settings(settings, item.number)

    def compare_selected(self) -> None:
        """The frames that are selected in the rail side by side, on the spot that tells most."""
        numbers = [n for n in self.rail.selected_items() if self.session.items[n].ready]
        if len(numbers) < 2:
            self.say("Select two to six frames in the rail (Ctrl or Shift and click), then compare them.")
            return
        self.judging.compare(numbers)

    def decide_selected(self) -> None:
        """Judge the proofs of the selected frames (or of the chosen one) pair by pair."""
        item = self.proofs.item()
        numbers = self.rail.selected_items() or ([item.number] if item is not None else [])
        self.decide.begin(numbers)

    def _decided(self, judgements: list[Judgement]) -> None:
        if not judgements:
            return
        dialog = TallyDialog(judgements, self.session, self)
        frames = list(dict.fromkeys(j.pair.frame for j in judgements))
        dialog.kept.connect(lambda name, note: self.session.keep_winner(frames, name, note))
        dialog.open()
        self.tally = dialog

    # test strip

    def open_test_strip(self, path: str) -> None:
        """Show a setting's test strip."""
        self.bench.strip_rendering.open(path)

    def toggle_test_strip(self) -> None:
        if self.bench.test_strip.isVisible():
            self.bench.strip_rendering.leave()
        else:
            self.open_test_strip(self.shelf.setting_in_hand())

    def _take_from_strip(self, path: str, value: object) -> None:
        self.bench.strip_rendering.leave()
        if path == GRADE:
            self.proofs.set_grade(str(value))
        elif isinstance(value, Preset):
            self.proofs.apply(value)
        else:
            self.proofs.edit(path, value)

    # window

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        super().resizeEvent(event)
        low = self.height() < _LOW
        if low != self._low:
            self._low = low
            parts: tuple[Shelf | Band | Bench, ...] = (self.shelf, self.band, self.bench)
            for part in parts:
                part.set_low(low)
        self.surface.fit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if isinstance(watched, QWidget) and watched.window() is self:
            self.surface.hand_acts(event)
        if self._greyed.swallows(watched, event):
            return True
        if turns_unasked(watched, event):
            event.ignore()  # what is around it may be scrolled
            return True
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            typed = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)
            if typed and isinstance(watched, QAbstractSpinBox) and self.shelf.isAncestorOf(watched):
                self._typed_in(watched, event.key() == Qt.Key.Key_Escape)
        # blinking lasts as long as its key is held, whatever part of the window has the focus
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            held = event.key() == Qt.Key.Key_Q and event.modifiers() == Qt.KeyboardModifier.NoModifier
            mine = isinstance(watched, QWidget) and watched.window() is self
            if held and mine and not event.isAutoRepeat() and not typing():
                self.bench.blink(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    def _typed_in(self, box: QAbstractSpinBox, left: bool) -> None:
        """A value was typed, or is left as it was: the keyboard goes back to the pictures."""

        def back() -> None:
            self.bench.view_of(self.bench.chosen).setFocus()
            self._update_controls()

        if left:
            box.clear()  # what was begun does not count; the value is shown again
        QTimer.singleShot(0, back)

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        if not may_close(self, self.writing.unfinished, self.service.files.unsaved()):
            event.ignore()
            return
        QApplication.instance().removeEventFilter(self)  # type: ignore[union-attr]
        self.coming_back.keep_last()
        self.queueing.runner.close()
        self.service.close()
        event.accept()
