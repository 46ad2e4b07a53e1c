"""The bench: one or two panes side by side, or one picture with a dividing line; blink, matching, probe."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtWidgets import (
    QGridLayout,
    QVBoxLayout,
    QWidget,
)

from irvane.core.line.looks import FITTING, LOOKS, PICTURE
from irvane.core.line.marks import Limits
from irvane.desktop import theme
from irvane.desktop.backstage import Backstage
from irvane.desktop.bench.caption import Caption
from irvane.desktop.bench.feed import Feed
from irvane.desktop.bench.limits import LimitsDialog
from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.picture import PictureView
from irvane.desktop.bench.strip import DIVIDED, ONE, TWO, BenchStrip
from irvane.desktop.bench.teststrip import TestStrip
from irvane.desktop.bench.trying import Trying
from irvane.desktop.bench.viewport import Viewport
from irvane.desktop.session import BARE, Session

LETTERS = ("A", "B")


class Bench(QWidget):
    """The comparing surface.

    Signals
    -------
    chosen_changed : another pane was chosen, or the chosen one shows something else.
    proof_menu(pane) : the proof's name in a caption was clicked.
    said(sentence)
    """

    chosen_changed = Signal()
    proof_menu = Signal(int)
    said = Signal(str)

    def __init__(self, session: Session, backstage: Backstage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.backstage = session, backstage
        self.viewport = Viewport(self)
        self.panes = Panes(session, self.viewport, lambda pane: self.view_of(pane).device_size())
        # the same objects under short names, for those who ask the bench
        self.contents, self.item, self.settings = self.panes.contents, self.panes.item, self.panes.settings
        self.probe_region = self.panes.probe_region
        self.arrangement = TWO
        self.blinking = False
        self._split = 0.5
        self._before_fitting = ""
        self.feed = Feed(self.panes, backstage, self)
        self.feed.repaint.connect(self._repaint)
        self.feed.refreshed.connect(self.refresh)
        self.feed.chosen_changed.connect(self.chosen_changed)
        self._build()
        self.viewport.changed.connect(self.feed.request)
        self.viewport.changed.connect(lambda: self.strip.show_zoom(self.viewport.zoom))
        session.item_changed.connect(self._item_changed)
        self._arrange()

    # building

    def _build(self) -> None:
        self.views = [PictureView(self.viewport), PictureView(self.viewport)]
        self.captions = [Caption(), Caption()]
        for number, (view, caption) in enumerate(zip(self.views, self.captions, strict=True)):
            view.setAccessibleName(f"Pane {LETTERS[number]}")
            view.pressed.connect(lambda n=number: self.choose(n if self.arrangement == TWO else self.chosen))
            view.resized.connect(self.feed.request)
            view.probe_moved.connect(self._move_probe)
            view.split_moved.connect(self._move_split)
            caption.proof_menu.connect(lambda n=number: self.proof_menu.emit(n))
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(2)
        self._grid.setRowStretch(0, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.strip = BenchStrip()
        self.strip.arranged.connect(self.set_arrangement)
        self.strip.blinked.connect(self.blink)
        self.strip.swapped.connect(self.swap)
        self.strip.matched.connect(self.set_matching)
        self.strip.zoomed.connect(self.set_zoom)
        self.strip.look_chosen.connect(self.set_look)
        self.strip.marked.connect(self.set_marks)
        self.note = self.strip.note
        layout.addWidget(self.strip)
        self._panes_holder = QWidget()
        self._panes_holder.setLayout(self._grid)
        layout.addWidget(self._panes_holder, 1)
        self.test_strip = TestStrip()
        self.trying = Trying(self.panes, self.backstage, self.test_strip, self)
        self.trying.said.connect(self.said)
        self.trying.shown.connect(self._show_strip)
        layout.addWidget(self.test_strip, 1)

    # what is shown

    @property
    def chosen(self) -> int:
        """The pane whose proof the controls act on."""
        return self.panes.chosen

    @property
    def matching(self) -> bool:
        """Is pane B brightened to match pane A?"""
        return self.panes.matching

    def _repaint(self, pane: int) -> None:
        self.view_of(pane).update()

    def show_item(self, pane: int, number: int | None, proof: int | None = None) -> None:
        """Show a proof of an item in a pane."""
        self.trying.leave()
        item = self.session.items.get(number) if number is not None else None
        if proof is None:
            proof = item.sidecar.current if item is not None else 0
        self.contents[pane].show_item(number, proof, item.preview if item else None)
        self.feed.forget(pane)
        if item is not None and item.problem:
            self.contents[pane].problem = item.problem
        self.refresh()
        self.feed.request()
        if pane == self.chosen:
            self.chosen_changed.emit()

    def show_frame(self, number: int) -> None:
        """Show a frame in the chosen pane; a pane beside it that shows the same frame as before goes along."""
        other = 1 - self.chosen
        before = self.contents[self.chosen].item
        follows = self.contents[other].item in (None, before)
        was_bare = self.contents[other].item is None or self.contents[other].proof == BARE
        self.show_item(self.chosen, number)
        if follows:
            alone = len(self.session.items[number].sidecar.proofs) == 1
            self.show_item(other, number, BARE if was_bare or alone else None)

    def show_proof(self, pane: int, proof: int) -> None:
        """Show another proof of the frame that a pane shows; its picture stays until the new one is there."""
        content = self.contents[pane]
        content.proof, content.offset = proof, 0.0
        content.whole = content.probe = None
        self.feed.forget(pane)
        self.refresh()
        self.feed.request()
        if pane == self.chosen:
            self.chosen_changed.emit()

    def choose(self, pane: int) -> None:
        """Choose the pane whose proof the controls act on."""
        if pane != self.chosen:
            self.trying.leave()
            self.panes.chosen = pane
            self.refresh()
            if self.arrangement == ONE:
                self._arrange()
            self.chosen_changed.emit()

    def swap(self) -> None:
        """Exchange the panes."""
        self.contents.reverse()
        for pane in range(2):
            self.feed.forget(pane)
        for content in self.contents:
            content.offset = 0.0
        self._arrange()
        self.feed.request()
        self.chosen_changed.emit()

    def set_arrangement(self, arrangement: str) -> None:
        """One pane, two side by side, or divided."""
        self.arrangement = arrangement
        self._arrange()
        self.feed.request()

    def next_arrangement(self) -> None:
        """One or two panes."""
        self.set_arrangement(ONE if self.arrangement == TWO else TWO)

    def blink(self, on: bool) -> None:
        """While on, every picture shows the other pane's content in place."""
        self.blinking = on
        self._assign()

    def set_matching(self, on: bool) -> None:
        """Match the brightness of pane B to pane A."""
        self.panes.matching = on
        self.strip.match_button.setChecked(on)
        if not on:
            self.contents[1].offset = 0.0
        self.refresh()
        self.feed.request()

    def set_look(self, look: str) -> None:
        """See all panes in another way; nothing in the results changes."""
        self.panes.look = look
        self.strip.show_look(look)
        self.feed.request()

    def show_fitting_look(self, path: str, on: bool) -> None:
        """While a control is moved, the look that shows best what it does."""
        if on and path in FITTING and self.panes.look == PICTURE:
            self._before_fitting = self.panes.look
            self.set_look(FITTING[path])
        elif not on and self._before_fitting:
            self.set_look(self._before_fitting)
            self._before_fitting = ""

    def step_look(self, direction: int) -> None:
        """The next or previous look."""
        keys = list(LOOKS)
        self.set_look(keys[(keys.index(self.panes.look) + direction) % len(keys)])

    def set_marks(self, on: bool) -> None:
        """Hatch what is clipped."""
        self.panes.marks = on
        self.strip.marks_button.setChecked(on)
        self.feed.request()

    def ask_limits(self) -> LimitsDialog:
        """The small window with the limits of the hatching; it stays open while the bench is used."""
        dialog = LimitsDialog(self.panes.limits, self)
        dialog.changed.connect(self._set_limits)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()
        self.set_marks(True)
        return dialog

    def _set_limits(self, limits: Limits) -> None:
        self.panes.limits = limits
        self.feed.request()

    def show_anew(self) -> None:
        """Paint everything again: the screen's profile is another one."""
        for pane, content in enumerate(self.contents):
            content.current = content.backdrop = None
            self.feed.forget(pane)
        self.feed.request()

    def _show_strip(self, on: bool) -> None:
        """The test strip takes the place of the panes, or gives it back."""
        self._panes_holder.setVisible(not on)
        if not on:
            self.view_of(self.chosen).setFocus()
            self.feed.request()

    def set_zoom(self, zoom: float | None) -> None:
        """Zoom all panes about their centre."""
        view = self.views[0]
        self.viewport.set_zoom(zoom, view.extent, view.device_size())

    def step_zoom(self, direction: int) -> None:
        """Next larger or smaller zoom."""
        view = self.views[0]
        self.viewport.step(direction, view.extent, view.device_size())

    def set_hint(self, words: str) -> None:
        """What an empty bench says."""
        self.views[0].hint = words
        self.views[0].update()

    def set_surround(self, number: int) -> None:
        """One of the greys around the pictures."""
        for view in self.views:
            view.surround = theme.SURROUNDS[number]
            view.update()

    def set_picking(self, on: bool) -> None:
        """The next click chooses a grey spot."""
        for view in self.views:
            view.picking = on
        self.note.setText("Click on something grey (Esc: leave)" if on else "")

    # arranging

    def _arrange(self) -> None:
        two = self.arrangement == TWO
        for widget in (*self.views, *self.captions):
            self._grid.removeWidget(widget)
        if two:
            for number in range(2):
                self._grid.addWidget(self.views[number], 0, number)
                self._grid.addWidget(self.captions[number], 1, number)
        else:
            self._grid.addWidget(self.views[0], 0, 0, 1, 2)
            if self.arrangement == DIVIDED:
                for number in range(2):
                    self._grid.addWidget(self.captions[number], 1, number)
            else:
                self._grid.addWidget(self.captions[self.chosen], 1, 0, 1, 2)
        for column in range(2):
            self._grid.setColumnStretch(column, 1)
        self.views[1].setVisible(two)
        for number, caption in enumerate(self.captions):
            caption.setVisible(self.arrangement != ONE or number == self.chosen)
        self.strip.show_arrangement(self.arrangement)
        self._assign()
        self.refresh()

    def _assign(self) -> None:
        """Give the widgets the contents they paint."""
        order = [1, 0] if self.blinking else [0, 1]
        if self.arrangement == TWO:
            for number, view in enumerate(self.views):
                view.contents = [self.contents[order[number]]]
                view.split = None
        elif self.arrangement == DIVIDED:
            self.views[0].contents = [self.contents[k] for k in order]
            self.views[0].split = self._split
        else:
            shown = 1 - self.chosen if self.blinking else self.chosen
            self.views[0].contents = [self.contents[shown]]
            self.views[0].split = None
        for view in self.views:
            view.update()

    def view_of(self, pane: int) -> PictureView:
        """The widget that paints a pane."""
        return self.views[pane] if self.arrangement == TWO else self.views[0]

    def refresh(self) -> None:
        """Captions, marks of the chosen pane, probe, pictures."""
        self._show_captions()
        for number, view in enumerate(self.views):
            view.chosen = self.arrangement == TWO and number == self.chosen and self.item(number) is not None
            pane = number if self.arrangement == TWO else self.chosen
            place = self.probe_region(pane)
            view.probe = QRectF(place.left, place.top, place.right - place.left, place.bottom - place.top)
            view.update()

    def _show_captions(self) -> None:
        for number, caption in enumerate(self.captions):
            other = self.settings(1 - number)
            bare = self.contents[1 - number].proof == BARE
            caption.show_content(LETTERS[number], self.contents[number], self.item(number), other, bare)

    # probe and dividing line

    def _move_probe(self, x: float, y: float) -> None:
        h, w = self.views[0].extent
        self.panes.probe = (min(max(x / w, 0), 1), min(max(y / h, 0), 1))
        for content in self.contents:
            content.probe = None
        self.refresh()
        self.feed.settle()

    def probe_to_centre(self) -> None:
        """Put the probe into the middle of what is seen."""
        view = self.views[0]
        size = view.device_size()
        middle = self.viewport.to_frame(QRectF(0, 0, size.width(), size.height()).center(), view.extent, size)
        self._move_probe(middle.x(), middle.y())

    def _move_split(self, share: float) -> None:
        self._split = share
        self._assign()

    # the session's changes

    def _item_changed(self, number: int) -> None:
        item = self.session.items[number]
        for pane, content in enumerate(self.contents):
            if content.item != number:
                continue
            if item.problem:
                content.problem = item.problem
                self._repaint(pane)
            elif content.current is None and item.preview is not None:
                content.take_preview(item.preview)
                self._repaint(pane)
            count = len(item.sidecar.proofs)
            if content.proof >= count:
                content.proof = count - 1
            content.whole = content.probe = None
            if pane == self.chosen:
                self.chosen_changed.emit()
        self._show_captions()
        self.feed.request()

    def keyPressEvent(self, event: object) -> None:  # noqa: N802
        if getattr(event, "key", lambda: None)() == Qt.Key.Key_Escape and self.views[0].picking:
            self.set_picking(False)
            return
        super().keyPressEvent(event)  # type: ignore[arg-type]
