"""What feeds the bench: it asks for views and figures and puts them into the panes' contents."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.files.thumbnails import Preview
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.probe import ProbeFigures
from irvane.core.line.looks import missing
from irvane.core.line.marks import Limits
from irvane.core.line.view import Rendered
from irvane.desktop.backstage import Backstage, Wish
from irvane.desktop.bench.panes import Panes

#: Milliseconds without a change after which figures are read.
_SETTLED = 250


class Feed(QObject):
    """Requests and their results for the panes of a bench.

    Signals
    -------
    repaint(pane) : its picture or state changed. refreshed : figures or words changed as well.
    chosen_changed : what is known of the chosen pane's proof changed.
    """

    repaint = Signal(int)
    refreshed = Signal()
    chosen_changed = Signal()

    def __init__(self, panes: Panes, backstage: Backstage, parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.backstage = panes, backstage
        self._shown: list[Wish | None] = [None, None]
        self._pending = QTimer(self, singleShot=True, interval=0)
        self._pending.timeout.connect(self._request)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLED)
        self._settle.timeout.connect(self._measure)
        backstage.rendered.connect(self._rendered)
        backstage.improved.connect(lambda _key: self.request())
        backstage.busy.connect(self._busy)
        backstage.figures.connect(self._figures)
        backstage.probed.connect(self._probed)
        backstage.matched.connect(self._matched)
        backstage.source_failed.connect(self._failed)

    def forget(self, pane: int) -> None:
        """The pane shows something else now."""
        self._shown[pane] = None

    def settle(self) -> None:
        """Read figures once nothing has changed for a moment."""
        self._settle.start()

    def wish(self, pane: int) -> Wish | None:
        """What a pane wants to show now."""
        item = self.panes.item(pane)
        if item is None or not item.ready or item.problem:
            return None
        content = self.panes.contents[pane]
        settings = item.settings(content.proof)
        frame = self.backstage.engine.best(item.source, settings.sensor)
        if frame is not None:
            content.extent = frame.developed.extent
            content.notes = frame.developed.notes
        region = self.panes.viewport.region(content.extent, self.panes.size_of(pane))
        return Wish(item.source, settings, region, content.offset, self.panes.look, self._limits())

    def _limits(self) -> Limits | None:
        return self.panes.limits if self.panes.marks else None

    def request(self) -> None:
        """Ask for new views, once the window has nothing else to do."""
        self._pending.start()

    def _request(self) -> None:
        wishes = [self.wish(pane) for pane in range(2)]
        self.backstage.keep_only([wish for wish in wishes if wish is not None])
        asked: Wish | None = None
        for pane in (self.panes.chosen, 1 - self.panes.chosen):
            wish = wishes[pane]
            if wish is None or wish == self._shown[pane] or wish == asked:
                continue  # two panes that show the same are served by one picture
            self.backstage.show(pane, wish)
            asked = wish
        if self.panes.matching and wishes[0] is not None and wishes[1] is not None:
            self.backstage.match(replace(wishes[0], offset=0.0), replace(wishes[1], offset=0.0))

    def _rendered(self, pane: int, wish: Wish, rendered: Rendered, state: str) -> None:
        self._take(pane, wish, rendered, state)
        if self.wish(1 - pane) == wish:
            self._take(1 - pane, wish, rendered, state)
        self._settle.start()

    def _take(self, pane: int, wish: Wish, rendered: Rendered, state: str) -> None:
        item = self.panes.item(pane)
        if item is None or item.source is not wish.source:
            return
        frame = self.backstage.engine.best(wish.source, wish.settings.sensor)
        if frame is None:
            return
        content = self.panes.contents[pane]
        content.problem = ""
        content.instead = missing(wish.look, frame.developed)
        content.take(rendered, frame.developed.extent, state)
        content.exact = None
        if item.preview is None and content.backdrop is content.current and content.backdrop is not None:
            self.panes.session.give_preview(item, Preview(rendered.pixels[..., :3].copy(), content.extent))
        if state == "final":
            content.busy = "" if frame.denoised_for(wish.settings) else content.busy
            self._shown[pane] = wish
        self.repaint.emit(pane)

    def _busy(self, key: str, words: str, share: float, left: float) -> None:
        for pane, content in enumerate(self.panes.contents):
            item = self.panes.item(pane)
            if item is None or item.problem or not item.ready or item.source.key != key:
                continue
            if share >= 1:
                content.busy = ""
            else:
                told = f"{words} {share:.0%}" if share > 0 else f"{words} …"
                content.busy = f"{told}, {left:.0f} s left" if share > 0.05 else told
            self.repaint.emit(pane)

    def _failed(self, key: str, sentence: str) -> None:
        for pane, content in enumerate(self.panes.contents):
            item = self.panes.item(pane)
            if item is not None and (not key or item.source.key == key):
                content.problem, content.busy = sentence, ""
        self.refreshed.emit()

    def _measure(self) -> None:
        for pane in range(2):
            wish = self.wish(pane)
            if wish is not None:
                self.backstage.probe(pane, wish, self.panes.probe_region(pane))
                content = self.panes.contents[pane]
                inexact = wish.region.step > 1 and content.exact != wish
                if content.whole is None or inexact:
                    self.backstage.measure(pane, wish)

    def _current(self, pane: int, wish: Wish) -> bool:
        now = self.wish(pane)
        return now is not None and now.source is wish.source and now.settings == wish.settings

    def _figures(self, pane: int, wish: Wish, found: WholeFigures, exact: Rendered | None) -> None:
        if self._current(pane, wish):
            content = self.panes.contents[pane]
            content.whole = found
            if exact is not None and wish == self.wish(pane):
                content.take(exact, content.extent, "final")
                content.exact = wish
            self.refreshed.emit()
            if pane == self.panes.chosen:
                self.chosen_changed.emit()

    def _probed(self, pane: int, wish: Wish, found: ProbeFigures | None) -> None:
        if self._current(pane, wish):
            self.panes.contents[pane].probe = found
            self.refreshed.emit()

    def _matched(self, offset: float) -> None:
        content = self.panes.contents[1]
        if self.panes.matching and abs(content.offset - offset) > 0.004:
            content.offset = offset
            self.refreshed.emit()
            self.request()
