"""The bench: one or two panes side by side, or one picture with a dividing line; blink, matching, probe."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.line.picture import Region
from irvane.core.settings import Settings
from irvane.desktop import theme
from irvane.desktop.backstage import Backstage, Wish
from irvane.desktop.bench.caption import Caption
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.picture import PictureView
from irvane.desktop.bench.viewport import ZOOMS, Viewport
from irvane.desktop.session import BARE, Item, Session

ONE, TWO, DIVIDED = "one", "two", "divided"
LETTERS = ("A", "B")
PROBE_SIDE = 64

#: Milliseconds without a change after which figures are read.
_SETTLED = 250


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
        self.contents = [Content(), Content()]
        self.arrangement = TWO
        self.chosen = 0
        self.matching = False
        self.blinking = False
        self._split = 0.5
        self._probe = (0.5, 0.5)
        self._shown: list[Wish | None] = [None, None]
        self._build()
        self._pending = QTimer(self, singleShot=True, interval=0)
        self._pending.timeout.connect(self._request)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLED)
        self._settle.timeout.connect(self._measure)
        self.viewport.changed.connect(self.request)
        self.viewport.changed.connect(self._show_zoom)
        session.item_changed.connect(self._item_changed)
        backstage.rendered.connect(self._rendered)
        backstage.improved.connect(lambda _key: self.request())
        backstage.busy.connect(self._busy)
        backstage.figures.connect(self._figures)
        backstage.probed.connect(self._probed)
        backstage.matched.connect(self._matched)
        backstage.source_failed.connect(self._failed)
        self._arrange()

    # building

    def _build(self) -> None:
        self.views = [PictureView(self.viewport), PictureView(self.viewport)]
        self.captions = [Caption(), Caption()]
        for number, (view, caption) in enumerate(zip(self.views, self.captions, strict=True)):
            view.setAccessibleName(f"Pane {LETTERS[number]}")
            view.pressed.connect(lambda n=number: self.choose(n if self.arrangement == TWO else self.chosen))
            view.resized.connect(self.request)
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
        layout.addLayout(self._strip())
        layout.addLayout(self._grid, 1)

    def _strip(self) -> QHBoxLayout:
        strip = QHBoxLayout()
        strip.setContentsMargins(8, 3, 8, 3)
        strip.setSpacing(4)
        group = QButtonGroup(self)
        self.arrangement_buttons: dict[str, QPushButton] = {}
        for key, words, tip in (
            (ONE, "one", "One pane over the whole width (C)"),
            (TWO, "two", "Two panes side by side (C)"),
            (
                DIVIDED,
                "divided",
                "One picture with a dividing line: drag it, or move it with Shift and the arrow keys (V)",
            ),
        ):
            button = self._flat(words, tip, checkable=True)
            button.clicked.connect(lambda _checked, k=key: self.set_arrangement(k))
            group.addButton(button)
            self.arrangement_buttons[key] = button
            strip.addWidget(button)
        self.blink_button = self._flat("blink", "Hold to see the other pane in the same place (hold Q)")
        self.blink_button.pressed.connect(lambda: self.blink(True))
        self.blink_button.released.connect(lambda: self.blink(False))
        self.swap_button = self._flat("swap", "Exchange the two panes (X)")
        self.swap_button.clicked.connect(self.swap)
        self.match_button = self._flat(
            "equal brightness",
            "Brightens or darkens pane B, for viewing only, until it is as bright as pane A in linear light (E). "
            "The offset is shown in its caption.",
            checkable=True,
        )
        self.match_button.toggled.connect(self.set_matching)
        for button in (self.blink_button, self.swap_button, self.match_button):
            strip.addWidget(button)
        strip.addStretch(1)
        self.note = QLabel()
        self.note.setObjectName("muted")
        strip.addWidget(self.note)
        strip.addStretch(1)
        self.zoom_box = QComboBox()
        self.zoom_box.setAccessibleName("Zoom")
        self.zoom_box.setToolTip(
            "100 % is one picture pixel on one pixel of the screen. Wheel: step; Z: 100 % and back."
        )
        self.zoom_box.addItem("fit", None)
        for zoom in ZOOMS:
            self.zoom_box.addItem(f"{zoom:.0%}", zoom)
        self.zoom_box.setFixedWidth(82)
        self.zoom_box.activated.connect(lambda index: self.set_zoom(self.zoom_box.itemData(index)))
        strip.addWidget(self.zoom_box)
        return strip

    @staticmethod
    def _flat(words: str, tip: str, checkable: bool = False) -> QPushButton:
        button = QPushButton(words)
        button.setProperty("flat", True)
        button.setCheckable(checkable)
        button.setToolTip(tip)
        button.setAccessibleDescription(tip)
        return button

    # what is shown

    def item(self, pane: int) -> Item | None:
        """The item a pane shows."""
        number = self.contents[pane].item
        return None if number is None else self.session.items.get(number)

    def settings(self, pane: int) -> Settings | None:
        """The settings a pane shows."""
        item = self.item(pane)
        return None if item is None else item.settings(self.contents[pane].proof)

    def show_item(self, pane: int, number: int | None, proof: int | None = None) -> None:
        """Show a proof of an item in a pane."""
        item = self.session.items.get(number) if number is not None else None
        if proof is None:
            proof = item.sidecar.current if item is not None else 0
        self.contents[pane].show_item(number, proof, item.preview if item else None)
        self._shown[pane] = None
        if item is not None and item.problem:
            self.contents[pane].problem = item.problem
        self._refresh()
        self.request()
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
            self.show_item(other, number, BARE if was_bare else None)

    def show_proof(self, pane: int, proof: int) -> None:
        """Show another proof of the frame that a pane shows; its picture stays until the new one is there."""
        content = self.contents[pane]
        content.proof, content.offset = proof, 0.0
        content.whole = content.probe = None
        self._shown[pane] = None
        self._refresh()
        self.request()
        if pane == self.chosen:
            self.chosen_changed.emit()

    def choose(self, pane: int) -> None:
        """Choose the pane whose proof the controls act on."""
        if pane != self.chosen:
            self.chosen = pane
            self._refresh()
            if self.arrangement == ONE:
                self._arrange()
            self.chosen_changed.emit()

    def swap(self) -> None:
        """Exchange the panes."""
        self.contents.reverse()
        self._shown.reverse()
        for content in self.contents:
            content.offset = 0.0
        self._arrange()
        self.request()
        self.chosen_changed.emit()

    def set_arrangement(self, arrangement: str) -> None:
        """One pane, two side by side, or divided."""
        self.arrangement = arrangement
        self._arrange()
        self.request()

    def next_arrangement(self) -> None:
        """One or two panes."""
        self.set_arrangement(ONE if self.arrangement == TWO else TWO)

    def blink(self, on: bool) -> None:
        """While on, every picture shows the other pane's content in place."""
        self.blinking = on
        self._assign()

    def set_matching(self, on: bool) -> None:
        """Match the brightness of pane B to pane A."""
        self.matching = on
        self.match_button.setChecked(on)
        if not on:
            self.contents[1].offset = 0.0
        self._refresh()
        self.request()

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
        self.arrangement_buttons[self.arrangement].setChecked(True)
        self._assign()
        self._refresh()

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

    def _view_of(self, pane: int) -> PictureView:
        return self.views[pane] if self.arrangement == TWO else self.views[0]

    def _refresh(self) -> None:
        """Captions, marks of the chosen pane, probe."""
        for number, caption in enumerate(self.captions):
            other = self.settings(1 - number)
            caption.show_content(LETTERS[number], self.contents[number], self.item(number), other)
        for number, view in enumerate(self.views):
            view.chosen = self.arrangement == TWO and number == self.chosen and self.item(number) is not None
            pane = number if self.arrangement == TWO else self.chosen
            place = self.probe_region(pane)
            view.probe = QRectF(place.left, place.top, place.right - place.left, place.bottom - place.top)
            view.update()

    def _show_zoom(self) -> None:
        index = next(
            (k for k in range(self.zoom_box.count()) if self.zoom_box.itemData(k) == self.viewport.zoom), 0
        )
        self.zoom_box.setCurrentIndex(index)

    # probe and dividing line

    def probe_region(self, pane: int) -> Region:
        """The probe's rectangle in a pane's frame."""
        h, w = self.contents[pane].extent
        side = min(PROBE_SIDE, h, w)
        left = round(min(max(self._probe[0] * w - side / 2, 0), w - side))
        top = round(min(max(self._probe[1] * h - side / 2, 0), h - side))
        return Region(top, left, top + side, left + side)

    def _move_probe(self, x: float, y: float) -> None:
        h, w = self.views[0].extent
        self._probe = (min(max(x / w, 0), 1), min(max(y / h, 0), 1))
        for content in self.contents:
            content.probe = None
        self._refresh()
        self._settle.start()

    def probe_to_centre(self) -> None:
        """Put the probe into the middle of what is seen."""
        view = self.views[0]
        size = view.device_size()
        middle = self.viewport.to_frame(QRectF(0, 0, size.width(), size.height()).center(), view.extent, size)
        self._move_probe(middle.x(), middle.y())

    def _move_split(self, share: float) -> None:
        self._split = share
        self._assign()

    # requests and their results

    def wish(self, pane: int) -> Wish | None:
        """What a pane wants to show now."""
        item = self.item(pane)
        if item is None or not item.ready or item.problem:
            return None
        content, view = self.contents[pane], self._view_of(pane)
        settings = item.settings(content.proof)
        frame = self.backstage.engine.best(item.source, settings.sensor)
        if frame is not None:
            content.extent = frame.developed.extent
            content.notes = frame.developed.notes
        region = self.viewport.region(content.extent, view.device_size())
        return Wish(item.source, settings, region, content.offset)

    def request(self) -> None:
        """Ask for new views, once the window has nothing else to do."""
        self._pending.start()

    def _request(self) -> None:
        wishes = [self.wish(pane) for pane in range(2)]
        self.backstage.keep_only([wish for wish in wishes if wish is not None])
        order = [self.chosen, 1 - self.chosen]
        for pane in order:
            wish = wishes[pane]
            if wish is None or wish == self._shown[pane]:
                continue
            self.backstage.show(pane, wish)
        if self.matching and wishes[0] is not None and wishes[1] is not None:
            self.backstage.match(replace(wishes[0], offset=0.0), replace(wishes[1], offset=0.0))

    def _rendered(self, pane: int, wish: Wish, rendered: object, state: str) -> None:
        item = self.item(pane)
        if item is None or item.source is not wish.source:
            return
        frame = self.backstage.engine.best(wish.source, wish.settings.sensor)
        if frame is None:
            return
        content = self.contents[pane]
        content.problem = ""
        content.take(rendered, frame.developed.extent, state)  # type: ignore[arg-type]
        if state == "final":
            content.busy = "" if frame.denoised_for(wish.settings) else content.busy
            self._shown[pane] = wish
        for view in self.views:
            view.update()
        self._settle.start()

    def _busy(self, key: str, words: str, share: float, left: float) -> None:
        for pane, content in enumerate(self.contents):
            item = self.item(pane)
            if item is None or item.problem or not item.ready or item.source.key != key:
                continue
            if share >= 1:
                content.busy = ""
            else:
                told = f"{words} {share:.0%}" if share > 0 else f"{words} …"
                content.busy = f"{told}, {left:.0f} s left" if share > 0.05 else told
        for view in self.views:
            view.update()

    def _failed(self, key: str, sentence: str) -> None:
        for pane, content in enumerate(self.contents):
            item = self.item(pane)
            if item is not None and (not key or item.source.key == key):
                content.problem, content.busy = sentence, ""
        self._refresh()

    def _item_changed(self, number: int) -> None:
        item = self.session.items[number]
        for pane, content in enumerate(self.contents):
            if content.item != number:
                continue
            if item.problem:
                content.problem = item.problem
            elif content.current is None and item.preview is not None:
                content.take_preview(item.preview)
            count = len(item.sidecar.proofs)
            if content.proof >= count:
                content.proof = count - 1
            content.whole = content.probe = None
            if pane == self.chosen:
                self.chosen_changed.emit()
        self._refresh()
        self.request()

    def _measure(self) -> None:
        for pane in range(2):
            wish = self.wish(pane)
            if wish is not None:
                self.backstage.probe(pane, wish, self.probe_region(pane))
                if self.contents[pane].whole is None:
                    self.backstage.measure(pane, wish)

    def _current(self, pane: int, wish: Wish) -> bool:
        now = self.wish(pane)
        return now is not None and now.source is wish.source and now.settings == wish.settings

    def _figures(self, pane: int, wish: Wish, found: object) -> None:
        if self._current(pane, wish):
            self.contents[pane].whole = found  # type: ignore[assignment]
            self._refresh()
            if pane == self.chosen:
                self.chosen_changed.emit()

    def _probed(self, pane: int, wish: Wish, found: object) -> None:
        if self._current(pane, wish):
            self.contents[pane].probe = found  # type: ignore[assignment]
            self._refresh()

    def _matched(self, offset: float) -> None:
        content = self.contents[1]
        if self.matching and abs(content.offset - offset) > 0.004:
            content.offset = offset
            self._refresh()
            self.request()

    def keyPressEvent(self, event: object) -> None:  # noqa: N802
        if getattr(event, "key", lambda: None)() == Qt.Key.Key_Escape and self.views[0].picking:
            self.set_picking(False)
            return
        super().keyPressEvent(event)  # type: ignore[arg-type]
