"""What the panes' figures say together: it is asked for whenever one of them changes, and kept until the next
answer is there."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from irvane.core.judge.readings import Reading, SideBySide
from irvane.core.judge.verdict import Verdict
from irvane.core.noise.dynamic_range import CONDITIONS
from irvane.desktop.bench.controller import ViewController
from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.spotting import Spotting
from irvane.desktop.figures import At, Held, Spread
from irvane.desktop.service import RenderService
from irvane.desktop.throttle import Throttle
from irvane.desktop.view_request import Owner, ViewRequest

#: Milliseconds within which figures of several panes arrive together.
_TOGETHER = 12


@dataclass(frozen=True)
class Of:
    """What a column of the table was made of: the pane, what it shows, and where; `complete`: was all there?"""

    pane: int
    owner: Owner | None
    place: object
    complete: bool = True


class Telling(QObject):
    """Holds the panes' figures against each other.

    Signals
    -------
    changed : there are other figures, or some are being measured anew.

    Attributes
    ----------
    told, verdict : the latest figures of all panes and what they say; None before any.
    of : what each column was made of.
    at_spots : is the verdict that of all judging spots?
    """

    changed = Signal()

    def __init__(
        self, panes: Panes, service: RenderService, controller: ViewController, spotting: Spotting
    ) -> None:
        super().__init__(controller)
        self.panes, self.service, self.controller, self.spotting = panes, service, controller, spotting
        self.told: SideBySide | None = None
        self.verdict: Verdict | None = None
        self.of: tuple[Of, ...] = ()
        self.at_spots = False
        self._asked: object = None
        self._key: object = None
        self._due = Throttle(self, self._ask, _TOGETHER)
        controller.refreshed.connect(self._due.ask)
        controller.settled.connect(self._read)
        spotting.found.connect(self._read)
        service.readings.connect(self._take)
        service.held.connect(self._held)

    def ask(self) -> None:
        """Something is otherwise: what the figures say is asked for again."""
        self._due.ask()

    def judge_at_spots(self, on: bool) -> None:
        """The verdict of all judging spots together, or of the probe's place."""
        self.at_spots = on
        self._due.ask()

    def is_current(self, pane: int) -> bool:
        """Is what stands in a pane's column of what the pane shows now?"""
        return pane < len(self.of) and self.of[pane] == self._of(pane)

    def is_other(self, pane: int) -> bool:
        """Is it of another frame, or of no pane that is there: not to be shown at all?"""
        if pane >= len(self.of):
            return True
        old, now = self.of[pane], self._of(pane)
        if old.pane != now.pane or old.owner is None or now.owner is None:
            return True
        return old.owner.source is not now.owner.source

    def _of(self, pane: int) -> Of:
        content = self.panes.contents[pane]
        request = self.controller.request_of(pane)
        owner = None if request is None else request.owner
        return Of(content.key, owner, self.controller.place_of(pane), content.probe is not None)

    # figures all over the pictures

    def _at(self, pane: int) -> At | None:
        """Where a pane is to be read; None while the spots are not known."""
        spots = self.spotting.known(0)
        if spots is None:
            return None
        first = self.panes.contents[0]
        return At(tuple(spots), first.extent, None if pane == 0 else self.panes.contents[pane].mapping)

    def _read(self) -> None:
        """Have panes read of which that was not done yet."""
        if self.spotting.known(0) is None:
            self.spotting.find(0)
            return
        for pane, content in enumerate(self.panes.contents):
            request, at = self.controller.request_of(pane), self._at(pane)
            if request is None or at is None or content.spread_of == (request.owner, at):
                continue
            self.service.read_over(content.key, request, at)

    def _take(self, key: int, request: ViewRequest, at: At, found: Spread) -> None:
        pane = self.panes.with_key(key)
        if pane is None:
            return
        now = self.controller.request_of(pane)
        if now is not None and now.owner == request.owner and at == self._at(pane):
            content = self.panes.contents[pane]
            content.spread, content.spread_of = found, (request.owner, at)
            self._due.ask()

    # together

    def _reading(self, pane: int) -> Reading | None:
        content, request = self.panes.contents[pane], self.controller.request_of(pane)
        if request is None:
            return None
        spread = content.spread
        if content.spread_of != (request.owner, self._at(pane)):
            spread = None
        found = Reading(content.probe, whole=content.whole, range=content.range, frame=request.source.key)
        if spread is None:
            return found
        return replace(found, nodes=spread.nodes, spots=spread.spots, size=spread.size)

    def _ask(self) -> None:
        count = len(self.panes.contents)
        readings = tuple(self._reading(pane) for pane in range(count))
        reference = min(self.panes.view.reference, count - 1)
        together = tuple(self.controller.aligning.of_same_scene())
        if reference not in together:  # a picture of another scene is held against its like
            together = tuple(k for k in range(count) if k == reference or k not in together)
        condition = CONDITIONS[self.panes.contents[0].range_under].words
        letters = tuple("ABCDEF"[:count])
        held = Held(readings, reference, together, condition, letters, self.at_spots)
        known = tuple(
            None if one is None else (one.place, one.spots, one.whole, one.range) for one in readings
        )
        key = (
            tuple(tuple(map(id, one or ())) for one in known),
            reference,
            together,
            condition,
            self.at_spots,
            tuple(self._of(pane) for pane in range(count)),
        )
        if key == self._key:
            return
        self._key, self._asked = key, (known, tuple(self._of(pane) for pane in range(count)))
        if any(one is not None and one.place is not None for one in readings):
            self.service.hold(self._asked, held)
        self.changed.emit()

    def _held(self, key: tuple[object, tuple[Of, ...]], told: SideBySide, verdict: Verdict) -> None:
        if key is self._asked or len(key[1]) == len(self.panes.contents):
            self.told, self.verdict, self.of = told, verdict, key[1]
            self.changed.emit()
