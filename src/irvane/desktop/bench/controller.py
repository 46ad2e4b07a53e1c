"""What feeds the bench: it asks for views and figures and puts them into the panes' contents."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.files.thumbnails import Preview
from irvane.core.judge.difference import DifferenceFigures
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.matching import NOISE, Match
from irvane.core.judge.place import PlaceFigures
from irvane.core.line.looks import PICTURE, missing
from irvane.core.line.view import Rendered
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.region import LocalRegion
from irvane.desktop.bench.aligning import Aligning
from irvane.desktop.bench.panes import DIFFERENCE, Panes
from irvane.desktop.bench.requested import requested
from irvane.desktop.bench.waiting import WAITS
from irvane.desktop.bench.waits import PaneWaits
from irvane.desktop.screen import SCREEN
from irvane.desktop.service import RenderService
from irvane.desktop.throttle import Throttle
from irvane.desktop.view_request import Owner, ViewRequest

#: Milliseconds without a change after which figures are read; and after which those of the probe, when it is
#: moved.
_SETTLED, _PROBED = 250, 15
#: Longer side of the preview that a frame without one gets from its own development.
_OWN_PREVIEW = 1024
#: Frame pixels across that the loupe shows.
LOUPE_SIDE = 96


class ViewController(QObject):
    """Requests and their results for the panes of a bench.

    Signals
    -------
    repaint(pane) : its picture or state changed. refreshed : figures or words changed as well.
    chosen_changed : what is known of the chosen pane's proof changed.
    read : figures of a pane are there. settled : nothing changed for a while; figures are read.
    """

    repaint = Signal(int)
    refreshed = Signal()
    chosen_changed = Signal()
    read = Signal()
    settled = Signal()

    def __init__(self, panes: Panes, service: RenderService, parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.service = panes, service
        self._loupe: tuple[float, float] | None = None
        self._resting = False
        self._pending = Throttle(self, self._request)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLED)
        self._settle.timeout.connect(self._measure)
        self._probing = Throttle(self, self._probe, _PROBED)
        self.aligning = Aligning(panes, service, self)
        self.aligning.found.connect(self.refreshed)
        self.aligning.found.connect(self.request)
        self.waits = PaneWaits(panes, service, self)
        self.waits.repaint.connect(self.repaint)
        panes.session.rows_changed.connect(self._give_up_closed)
        service.rendered.connect(self._rendered)
        service.improved.connect(lambda _key: self.request())
        service.figures.connect(self._figures)
        service.probed.connect(self._probed)
        service.comparison.matched.connect(self._matched)
        service.source_failed.connect(self._failed)
        service.comparison.noise_matched.connect(self._noise_matched)
        service.comparison.differed.connect(self._differed)
        service.comparison.peeked.connect(self._peeked)

    def probe(self) -> None:
        """The probe was moved: read its figures."""
        self._probing.ask()

    def request_of(self, pane: int) -> ViewRequest | None:
        """What a pane wants to show now."""
        item = self.panes.item(pane)
        if item is None or not item.ready or item.problem:
            return None
        settings = self.panes.settings(pane)
        assert settings is not None
        settings = self.panes.waiting.seen(settings)
        frame, content = self.service.engine.best(item.source, settings.sensor), self.panes.contents[pane]
        if frame is not None:
            before = content.extent, content.facts_of, self.panes.view.probe
            content.learn(frame, Owner(item.source, settings))
            self.panes.begin_probe(pane, frame.even_place)
            if before != (content.extent, content.facts_of, self.panes.view.probe):
                self._give_up_moved_probes()
        elif content.facts_of is not None and content.facts_of.source is not item.source:
            content.unlearn()
        return requested(self.panes, pane, item.source, settings, SCREEN.space(settings.finish.space))

    def owner_of(self, pane: int) -> Owner | None:
        """What a pane shows now, wherever and however it is seen."""
        item, settings = self.panes.item(pane), self.panes.settings(pane)
        if item is None or settings is None or not item.ready or item.problem:
            return None
        return Owner(item.source, self.panes.waiting.seen(settings))

    def keep_own(self, pane: int) -> None:
        """Give up a pane's figures that are not of what it shows now, where it shows it."""
        request, contents = self.request_of(pane), self.panes.contents
        contents[pane].keep_own(None if request is None else request.owner, self.place_of(pane))

    def keep_own_of_all(self) -> None:
        """Give up figures that are not of what their panes show."""
        for pane in range(len(self.panes.contents)):
            self.keep_own(pane)

    def _give_up_closed(self) -> None:
        """Panes whose item was closed show nothing."""
        closed = [
            c for c in self.panes.contents if c.item is not None and c.item not in self.panes.session.items
        ]
        for content in closed:
            content.show_item(None, 0, None)
        if closed:
            self.refreshed.emit()
            self.request()

    def _give_up_moved_probes(self) -> None:
        """The probe lies elsewhere in a picture now: what was read at the former place is not shown any
        more."""
        for pane, content in enumerate(self.panes.contents):
            if content.probe_of is not None and content.probe_of[1] != self.place_of(pane):
                content.probe = content.probe_of = None

    def place_of(self, pane: int) -> OutputRegion | LocalRegion:
        """Where a pane's figures are read."""
        return self.panes.view.inside or self.panes.probe_region(pane)

    def request(self) -> None:
        """Ask for new views, once the window has nothing else to do; what is not of what is wanted now is
        given up at once."""
        self.keep_own_of_all()
        if not self._resting:
            self._pending.ask()

    def rest(self, on: bool) -> None:
        """The bench is not seen: nothing is developed for it until it is again."""
        self._resting = on
        self.request()

    def _request(self) -> None:
        count = len(self.panes.contents)
        requests = [self.request_of(pane) for pane in range(count)]
        if self.aligning.align(requests):  # what is to be seen lies elsewhere now
            self._give_up_moved_probes()
            requests = [self.request_of(pane) for pane in range(count)]
        contents = self.panes.contents
        self.service.keep_panes([content.key for content in contents])
        self.service.progressive.keep_only([request for request in requests if request is not None])
        taken: list[ViewRequest] = []
        for pane in sorted(range(count), key=lambda pane: pane != self.panes.view.chosen):
            request, content = requests[pane], contents[pane]
            content.wished = request
            self._tell_instead(pane, request)
            if request is None or (
                content.wait is not None and content.wait_of != self.service.progressive.work_key(request)
            ):
                content.end_wait()
            if request is None or request == content.shown or request in taken:
                continue  # panes that show the same are served by one picture
            self.service.show(content.key, request)
            taken.append(request)
            if request not in content.asked:
                content.asked.append(request)
        if self._loupe is not None and any(
            c.loupe is not None and c.loupe.is_old(w) for c, w in zip(contents, requests, strict=True)
        ):
            self.loupe(self._loupe)
        if any(
            request is not None and content.whole is None
            for request, content in zip(requests, contents, strict=True)
        ):
            self._settle.start()  # what was measured in vain, before the frame was there, is measured again
        first = requests[0]
        for pane, request in enumerate(requests[1:], 1):
            if self.panes.matching and first is not None and request is not None:
                plain = self._plain(0, first), self._plain(pane, request)
                key = contents[pane].key
                self.service.comparison.match(key, *plain, self.panes.view.matched)
                if NOISE in self.panes.view.matched:
                    self.service.comparison.match_noise(key, *plain)
        self._ask_difference(requests[self.panes.view.chosen], requests[self.panes.other])

    def _ask_difference(self, one: ViewRequest | None, two: ViewRequest | None) -> None:
        if self.panes.view.arrangement == DIFFERENCE and one is not None and two is not None:
            mapping = self.panes.contents[self.panes.other].mapping
            reverse = self.panes.contents[self.panes.view.chosen].mapping
            self.service.comparison.difference(
                one, two, *self.panes.view.difference, mapping if reverse is None else None
            )

    def _rendered(self, key: int, request: ViewRequest, rendered: Rendered, state: str) -> None:
        pane = self.panes.with_key(key)
        content = None if pane is None else self.panes.contents[pane]
        wanted = content is not None and request in content.asked
        if content is not None and wanted:
            del content.asked[: content.asked.index(request)]
        for other, each in enumerate(self.panes.contents):
            if (each is content and wanted) or each.wished == request:
                self._take(other, request, rendered, state)
        if content is not None and content.wished != request and not self.service.renders(key):
            self.request()  # what was asked for meanwhile was there already then
        self._settle.start()

    def _take(self, pane: int, request: ViewRequest, rendered: Rendered, state: str) -> None:
        item = self.panes.item(pane)
        if item is None or item.source is not request.source:
            return
        frame = self.service.engine.best(request.source, request.settings.sensor)
        if frame is None:
            return
        content = self.panes.contents[pane]
        content.problem = ""
        content.take(rendered, frame.geometry(request.settings).output, state, request)
        content.exact = None
        wanting = item.preview is None or item.stand_in
        if wanting and content.backdrop is content.current and content.backdrop is not None:
            pixels = SCREEN.in_srgb(rendered.pixels, rendered.space)
            self.panes.session.give_preview(item, Preview.of(pixels, content.extent, _OWN_PREVIEW))
        if state == "final":
            if frame.complete_for(request.settings):
                content.end_wait()
            content.shown = request
        self.repaint.emit(pane)

    def _tell_instead(self, pane: int, request: ViewRequest | None) -> None:
        """Why the look that was asked for is not what is seen."""
        content, own = self.panes.contents[pane], self.panes.settings(pane)
        frame = None if request is None else self.service.engine.best(request.source, request.settings.sensor)
        told = ""
        if request is not None and own is not None and self.panes.waiting.waits(own):
            told = WAITS
        elif request is not None and frame is not None:
            told = missing(self.panes.view.look, frame.developed, request.region.step)
        if told != content.instead:
            content.instead = told
            self.repaint.emit(pane)

    def _failed(self, key: str, sentence: str) -> None:
        for pane, content in enumerate(self.panes.contents):
            item = self.panes.item(pane)
            if item is not None and (not key or item.source.key == key):
                content.problem = sentence
                content.end_wait()
        self.refreshed.emit()

    def _probe(self) -> None:
        for pane in range(len(self.panes.contents)):
            request = self.request_of(pane)
            if request is not None:
                self.service.probe(self.panes.contents[pane].key, request, self.place_of(pane))

    def _measure(self) -> None:
        self._probe()
        for pane in range(len(self.panes.contents)):
            request = self.request_of(pane)
            if request is not None:
                content = self.panes.contents[pane]
                inexact = request.region.step > 1 and content.exact != request
                if content.whole is None or inexact:
                    self.service.measure(content.key, request)
        self.settled.emit()

    def _current(self, key: int, request: ViewRequest) -> int | None:
        """The pane that still shows what figures were read for."""
        pane = self.panes.with_key(key)
        now = None if pane is None else self.request_of(pane)
        same = now is not None and now.source is request.source and now.settings == request.settings
        return pane if same else None

    def _figures(self, key: int, request: ViewRequest, found: WholeFigures, exact: Rendered | None) -> None:
        pane = self._current(key, request)
        if pane is not None:
            content = self.panes.contents[pane]
            content.whole, content.whole_of = found, request.owner
            if exact is not None and request == self.request_of(pane):
                content.take(exact, content.extent, "final", request)
                content.exact = request
                self._keep(pane, request, exact)
            self.refreshed.emit()
            if pane == self.panes.view.chosen:
                self.chosen_changed.emit()

    def _keep(self, pane: int, request: ViewRequest, exact: Rendered) -> None:
        """The small picture of a frame is that of its development from now on."""
        item, content = self.panes.item(pane), self.panes.contents[pane]
        plain = request.look == PICTURE and request.medium is None and not request.offset
        if item is None or not plain or content.backdrop is not content.current:
            return
        if request.settings == item.settings(item.sidecar.current):
            pixels = SCREEN.in_srgb(exact.pixels, exact.space)
            self.service.files.keep_developed(
                item.number, item.source, request.settings, pixels, content.extent
            )

    def _probed(
        self, key: int, request: ViewRequest, place: OutputRegion | LocalRegion, found: PlaceFigures | None
    ) -> None:
        pane = self._current(key, request)
        if pane is not None and place == self.place_of(pane):
            contents = self.panes.contents
            contents[pane].probe, contents[pane].probe_of = found, (request.owner, place)
            self.read.emit()

    def _plain(self, pane: int, request: ViewRequest) -> ViewRequest:
        """A request without anything that was made equal."""
        settings = self.panes.settings(pane)
        assert settings is not None
        return replace(request, settings=settings, offset=0.0)

    def _matched(self, key: int, found: Match) -> None:
        pane = self.panes.with_key(key)
        if pane is None or not self.panes.matching:
            return
        content = self.panes.contents[pane]
        before = content.match
        found = replace(found, amount=before.amount, noise=before.noise)
        if found.differs(before):
            content.match = found
            self.refreshed.emit()
            self.request()

    def _noise_matched(self, key: int, amount: float | None, noise: float | None) -> None:
        pane = self.panes.with_key(key)
        if pane is None or NOISE not in self.panes.view.matched:
            return
        content = self.panes.contents[pane]
        found = replace(content.match, amount=amount, noise=noise)
        if found.differs(content.match) or found.words() != content.match.words():
            content.match = found
            self.refreshed.emit()
            self.request()

    # difference, loupe

    def _differed(
        self, one: ViewRequest, two: ViewRequest, made: tuple[Rendered, DifferenceFigures | None] | None
    ) -> None:
        now = self.request_of(self.panes.view.chosen), self.request_of(self.panes.other)
        if now[0] is None or now[1] is None or (one.source, two.source) != (now[0].source, now[1].source):
            return
        if (one, two) != now and made is not None:
            # seen while a slider is dragged on; its figures are of settings that have gone
            made = made[0], None
        self.panes.take_difference(made, (one, two))
        self.repaint.emit(self.panes.view.chosen)

    def loupe(self, place: tuple[float, float] | None) -> None:
        """Show a place (shares of width and height) at 1:1 in every pane; None: no loupe."""
        self._loupe = place
        for pane, content in enumerate(self.panes.contents):
            request = None if place is None else self.request_of(pane)
            if request is None:
                content.loupe = None
            elif place is not None:
                side = LOUPE_SIDE
                h, w = content.extent
                high, wide = content.reference
                x, y = content.own_place(place[0] * wide, place[1] * high)
                left = round(min(max(x - side / 2, 0), max(w - side, 0)))
                top = round(min(max(y - side / 2, 0), max(h - side, 0)))
                region = OutputRegion(top, left, min(top + side, h), min(left + side, w))
                self.service.comparison.peek(content.key, replace(request, region=region, marks=None))
            self.repaint.emit(pane)

    def _peeked(self, key: int, request: ViewRequest, rendered: Rendered) -> None:
        pane = self.panes.with_key(key)
        item = None if pane is None else self.panes.item(pane)
        shows = item is not None and item.source is request.source
        if pane is not None and self._loupe is not None and shows:
            self.panes.contents[pane].take_loupe(rendered, request)
            self.repaint.emit(pane)
