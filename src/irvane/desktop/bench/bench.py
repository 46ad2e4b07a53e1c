"""The bench: one to six panes, a dividing line, or their difference; blink, matching, loupe, probe, judging
spots."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from irvane.core.judge.matching import Match
from irvane.core.judge.spots import even_place_of
from irvane.core.regions.region import LocalRegion
from irvane.desktop.bench.arranging import Arranging
from irvane.desktop.bench.caption import Caption
from irvane.desktop.bench.captioning import Captioning
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.controller import ViewController
from irvane.desktop.bench.looking import Looking
from irvane.desktop.bench.panes import BESIDE, LETTERS, ONE, Panes
from irvane.desktop.bench.picture import PictureView
from irvane.desktop.bench.spotting import Spotting
from irvane.desktop.bench.strip import BenchStrip
from irvane.desktop.bench.strip_rendering import StripRendering
from irvane.desktop.bench.telling import Telling
from irvane.desktop.bench.teststrip import TestStrip
from irvane.desktop.bench.viewport import Viewport
from irvane.desktop.bench.zooming import Zooming
from irvane.desktop.item import BARE, Item
from irvane.desktop.service import RenderService
from irvane.desktop.session import Session
from irvane.desktop.throttle import FRAME, Throttle

FEWEST, MOST = 2, 6


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

    def __init__(self, session: Session, service: RenderService, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.service = session, service
        self.panes = Panes(session, Viewport(self), lambda pane: self.view_of(pane).device_size())
        # under short names, for those who ask the bench
        self.contents, self.item, self.settings = self.panes.contents, self.panes.item, self.panes.settings
        self.probe_region = self.panes.probe_region
        self.hidden = False
        self.controller = ViewController(self.panes, service, self)
        self.controller.repaint.connect(self._repaint)
        self.controller.refreshed.connect(self.refresh)
        self.controller.chosen_changed.connect(self.chosen_changed)
        self._build()
        self.zooming = Zooming(self.panes, self.views, self)
        self.set_zoom, self.step_zoom = self.zooming.set_zoom, self.zooming.step_zoom
        looking = self.looking = Looking(self.panes, self.strip, self.controller, self)
        self.set_look, self.step_look, self.set_marks = looking.set_look, looking.step_look, looking.set_marks
        self.match_in, self.set_matching = looking.match_in, looking.set_matching
        self.set_difference, self.show_fitting_look = looking.set_difference, looking.show_fitting_look
        looking.said.connect(self.said)
        looking.refreshed.connect(self.refresh)
        self.strip.matched.connect(self.match_in)
        self.strip.look_chosen.connect(self.set_look)
        self.strip.marked.connect(self.set_marks)
        self.strip.difference_chosen.connect(self.set_difference)
        self.strip.zoomed.connect(self.set_zoom)
        self.zooming.said.connect(self.said)
        self.zooming.changed.connect(self._zoomed)
        self.zooming.probe_wanted.connect(self.move_probe)
        session.item_changed.connect(self._item_changed)
        self._captions_due = Throttle(self, self.refresh, FRAME)
        self._arrange()

    # building

    def _build(self) -> None:
        self.views = [PictureView(self.panes.viewport) for _ in LETTERS]
        self.captions = [Caption() for _ in LETTERS]
        self.arranging = Arranging(self.panes, self.views, self.captions)
        for number, (view, caption) in enumerate(zip(self.views, self.captions, strict=True)):
            view.setAccessibleName(f"Pane {LETTERS[number]}")
            view.pressed.connect(
                lambda n=number: self.choose(n if self.arrangement == BESIDE else self.chosen)
            )
            view.resized.connect(self.controller.request)
            view.probe_moved.connect(self.move_probe)
            view.split_moved.connect(self.arranging.move_split)
            view.split_turned.connect(self.arranging.turn_split)
            caption.proof_menu.connect(lambda n=number: self.proof_menu.emit(n))
            caption.pressed.connect(lambda n=number: self.choose(n))
            caption.dragged.connect(lambda place, n=number: self._drop(n, place))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.strip = BenchStrip()
        self.strip.arranged.connect(self.set_arrangement)
        self.strip.blinked.connect(self.blink)
        self.strip.swapped.connect(lambda: self.swap())
        self.strip.counted.connect(self.change_count)
        layout.addWidget(self.strip)
        self._panes_holder = QWidget()
        self._panes_holder.setLayout(self.arranging.grid)
        layout.addWidget(self._panes_holder, 1)
        self.spotting = Spotting(self.panes, self.service, self.controller)
        self.telling = Telling(self.panes, self.service, self.controller, self.spotting)
        self.captioning = Captioning(self)
        self.judgement = self.captioning.judgement
        layout.addWidget(self.judgement)
        self.test_strip = TestStrip()
        self.strip_rendering = StripRendering(self.panes, self.service, self.test_strip, self)
        self.strip_rendering.said.connect(self.said)
        self.strip_rendering.shown.connect(self._show_strip)
        layout.addWidget(self.test_strip, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self.arranging.fit(event.size().width())
        self.judgement.refresh()

    def set_low(self, on: bool) -> None:
        """With less height, in a low window."""
        self.judgement.set_low(on)
        for caption in self.captions:
            caption.set_low(on)

    # what is shown

    @property
    def chosen(self) -> int:
        """The pane whose proof the controls act on."""
        return self.panes.view.chosen

    @property
    def arrangement(self) -> str:
        """One pane, all beside each other, two divided by a line, or their difference."""
        return self.panes.view.arrangement

    @property
    def blinking(self) -> bool:
        """Does every picture show the other pane's content now?"""
        return self.panes.view.blinking

    @property
    def viewport(self) -> Viewport:
        """Zoom and place of the chosen pane: of all, unless each is by itself."""
        return self.panes.viewport_of(self.chosen)

    def _zoomed(self) -> None:
        self.controller.request()
        self.strip.show_zoom(self.viewport.zoom)
        if self.panes.view.free:
            self.captioning.show()
        for view in self.views[: self.count]:
            view.update()

    def _repaint(self, pane: int) -> None:
        self.view_of(pane).update()

    def show_item(self, pane: int, number: int | None, proof: int | None = None) -> None:
        """Show a proof of an item in a pane."""
        self.strip_rendering.leave()
        item = self.session.items.get(number) if number is not None else None
        if proof is None:
            proof = item.sidecar.current if item is not None else 0
        self.contents[pane].show_item(number, proof, item.preview if item else None)
        self._begin_probe(pane, item)
        if item is not None and item.problem:
            self.contents[pane].problem = item.problem
        self.refresh()
        self.controller.request()
        if pane == self.chosen:
            self.chosen_changed.emit()

    def show_frame(self, number: int) -> None:
        """Show a frame in the chosen pane; a pane beside it that shows the same frame as before goes
        along."""
        before = self.contents[self.chosen].item
        others = [
            pane for pane in range(self.count) if pane != self.chosen and not self.contents[pane].pinned
        ]
        follow = [(p, self.contents[p]) for p in others if self.contents[p].item in (None, before)]
        kept = {pane: (content.item is None or content.proof == BARE) for pane, content in follow}
        self.show_item(self.chosen, number)
        alone = len(self.session.items[number].sidecar.proofs) == 1
        for pane, was_bare in kept.items():
            self.show_item(pane, number, BARE if was_bare or alone else None)

    def show_proof(self, pane: int, proof: int) -> None:
        """Show another proof of the frame that a pane shows; its picture stays until the new one is there."""
        content = self.contents[pane]
        content.proof, content.match, content.without = proof, Match(), ""
        self.controller.keep_own(pane)
        content.forget()
        self.refresh()
        self.controller.request()
        if pane == self.chosen:
            self.chosen_changed.emit()

    def show_current(self, number: int) -> None:
        """Panes that show a proof of an item show its current one: what is kept beside it was read."""
        item = self.session.items.get(number)
        for content in self.contents:
            if item is not None and content.item == number and content.proof != BARE:
                content.proof = item.sidecar.current
        self.controller.request()

    def choose(self, pane: int) -> None:
        """Choose the pane whose proof the controls act on."""
        if pane != self.chosen:
            self.strip_rendering.leave()
            self.panes.change(chosen=pane)
            self.refresh()
            if self.arrangement != BESIDE:
                self._arrange()
                self.controller.request()
            self.chosen_changed.emit()

    def swap(self, pane: int | None = None) -> None:
        """Exchange a pane (None: the chosen one) and the next."""
        one = self.chosen if pane is None else pane
        self._exchange(one, (one + 1) % self.count)

    def _drop(self, pane: int, place: QPoint) -> None:
        """A pane was dragged to a place on the screen: it changes places with the pane there."""
        for number in range(self.count):
            for widget in (self.views[number], self.captions[number]):
                if widget.isVisible() and widget.rect().contains(widget.mapFromGlobal(place)):
                    if number != pane:
                        self._exchange(pane, number)
                    return

    def _exchange(self, one: int, two: int) -> None:
        if self.hidden:
            self.said.emit("In a blind judgement the panes stay where they are.")
            return
        self.contents[one], self.contents[two] = self.contents[two], self.contents[one]
        for content in self.contents:
            content.match = Match()
        self._arrange()
        self.controller.request()
        self.chosen_changed.emit()

    def set_arrangement(self, arrangement: str) -> None:
        """One pane, all side by side, two divided by a line, or their difference."""
        self.panes.change(arrangement=arrangement)
        self._arrange()
        self.controller.request()

    def next_arrangement(self) -> None:
        """One pane, or all side by side."""
        self.set_arrangement(ONE if self.arrangement == BESIDE else BESIDE)

    @property
    def count(self) -> int:
        """How many panes there are."""
        return len(self.contents)

    def change_count(self, by: int) -> None:
        """One pane more, which begins with what the chosen pane does not show of its frame; or one less."""
        if by > 0 and self.count < MOST:
            item, content = self.item(self.chosen), Content()
            self.contents.append(content)
            if item is not None:
                seen = {c.proof for c in self.contents[:-1] if c.item == item.number}
                proofs = [p for p in (*range(len(item.sidecar.proofs)), BARE) if p not in seen]
                self.show_item(self.count - 1, item.number, proofs[0] if proofs else BARE)
                if not proofs:
                    self.said.emit(
                        "Every proof of this frame is shown already: choose the new pane, then another frame."
                    )
        elif by < 0 and self.count > FEWEST:
            self.remove(self.count - 1 if self.chosen != self.count - 1 else self.count - 2)
            return
        else:
            self.said.emit(f"A bench has {FEWEST} to {MOST} panes.")
            return
        self.set_arrangement(BESIDE)
        self.chosen_changed.emit()

    def remove(self, pane: int) -> None:
        """Take a pane away."""
        chosen = self.chosen - (pane < self.chosen)
        self.contents.pop(pane)
        reference = self.panes.view.reference
        reference = 0 if pane == reference else reference - (pane < reference)
        self.panes.change(chosen=min(chosen, self.count - 1), reference=reference)
        self.set_arrangement(BESIDE)
        self.chosen_changed.emit()

    def blink(self, on: bool) -> None:
        """While on, every picture shows the other pane's content in place."""
        self.arranging.blink(on)

    def show_anew(self) -> None:
        """Paint everything again: the screen's profile is another one."""
        for content in self.contents:
            content.current = content.backdrop = None
            content.forget()
        self.controller.request()

    def _show_strip(self, on: bool) -> None:
        """The test strip takes the place of the panes, or gives it back."""
        self._panes_holder.setVisible(not on)
        self.judgement.setVisible(not on)
        if not on:
            self.view_of(self.chosen).setFocus()
            self.controller.request()

    def set_picking(self, on: bool) -> None:
        """The next click chooses a grey spot."""
        for view in self.views:
            view.picking = on
        self.said.emit("Click on something grey (Esc: leave)" if on else "")

    # arranging

    def _arrange(self) -> None:
        if self.arrangement != BESIDE:
            self.zooming.set_free(False)
        self.arranging.place()
        self.strip.show_arrangement(self.arrangement, self.count)
        self.refresh()

    def view_of(self, pane: int) -> PictureView:
        """The widget that paints a pane."""
        return self.arranging.view_of(pane)

    def refresh(self) -> None:
        """Captions, marks of the chosen pane, probe, pictures."""
        self.controller.keep_own_of_all()
        self.telling.ask()
        self.captioning.show()
        beside = self.arrangement == BESIDE
        for number, view in enumerate(self.views[: self.count]):
            view.chosen = beside and number == self.chosen and self.item(number) is not None
            place = self.probe_region(number if beside else self.chosen)
            view.probe = QRectF(place.left, place.top, place.right - place.left, place.bottom - place.top)
            view.update()

    # probe

    def _begin_probe(self, pane: int, item: Item | None) -> None:
        if item is not None and item.preview is not None:
            self.panes.begin_probe(pane, even_place_of(item.preview))

    def measure_inside(self, region: LocalRegion | None) -> None:
        """Read the figures in a region, or (None) under the probe."""
        if region != self.panes.view.inside:
            self.panes.change(inside=region)
            self.controller.keep_own_of_all()
            self.controller.probe()

    def move_probe(self, x: float, y: float) -> None:
        """Put the probe to a place of the first pane's frame."""
        self.panes.change(probe=self.contents[0].in_frame(x, y), probe_placed=True)
        self.controller.keep_own_of_all()
        self.refresh()
        self.controller.probe()

    # the session's changes

    def _item_changed(self, number: int) -> None:
        item = self.session.items[number]
        for pane, content in enumerate(self.contents):
            if content.item != number:
                continue
            if content.state in ("nothing", "preview"):
                self._begin_probe(pane, item)
            if item.problem:
                content.problem = item.problem
                self._repaint(pane)
            elif content.current is None and item.preview is not None:
                content.take_preview(item.preview, number)
                self._repaint(pane)
            count = len(item.sidecar.proofs)
            if content.proof >= count:
                content.proof = count - 1
            self.controller.keep_own(pane)
        self.controller.request()
        self._captions_due.ask()  # pictures first

    def keyPressEvent(self, event: object) -> None:  # noqa: N802
        if getattr(event, "key", lambda: None)() == Qt.Key.Key_Escape and self.views[0].picking:
            self.set_picking(False)
            return
        super().keyPressEvent(event)  # type: ignore[arg-type]
