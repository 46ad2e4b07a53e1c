"""What the panes' figures say together: it is asked for whenever one of them changes, and kept until the next
answer is there."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.judge.place import PlaceFigures
from irvane.core.judge.readings import Reading, SideBySide
from irvane.core.judge.verdict import Verdict
from irvane.core.noise.dynamic_range import CONDITIONS
from irvane.desktop.bench.controller import ViewController
from irvane.desktop.bench.panes import LETTERS, Panes
from irvane.desktop.bench.spotting import Spotting
from irvane.desktop.figures import At, Held, Spread
from irvane.desktop.service import RenderService
from irvane.desktop.throttle import Throttle
from irvane.desktop.view_request import Owner, ViewRequest

#: Milliseconds within which figures of several panes arrive together.
_TOGETHER = 12
#: Milliseconds after which those that are there are told without the others.
_WAITED = 400


@dataclass(frozen=True, eq=False)
class Of:
    """What a column of the table was made of: the pane, what it shows, and what was read under the probe."""

    pane: int
    owner: Owner | None
    probe: PlaceFigures | None

    def same(self, other: Of) -> bool:
        """Were both made of the same?"""
        return self.probe is other.probe and self.pane == other.pane and self.owner == other.owner


@dataclass(frozen=True, eq=False)
class _Asked:
    """What was asked for."""

    held: Held
    of: tuple[Of, ...]

    def same(self, held: Held, of: tuple[Of, ...]) -> bool:
        """Would it be asked for again? What was read is compared by identity."""
        if len(of) != len(self.of) or not all(a.same(b) for a, b in zip(self.of, of, strict=True)):
            return False
        for one, two in zip(self.held.readings, held.readings, strict=True):
            if one is None or two is None:
                if one is not two:
                    return False
            elif any(
                getattr(one, name) is not getattr(two, name) for name in ("place", "spots", "nodes", "whole")
            ):
                return False
        rest = ("reference", "together", "condition", "spots")
        return all(getattr(self.held, name) == getattr(held, name) for name in rest)


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
        self._asked: _Asked | None = None
        self._overdue = False
        self._due = Throttle(self, self._ask, _TOGETHER)
        self._late = QTimer(self, singleShot=True, interval=_WAITED)
        self._late.timeout.connect(self._no_longer)
        controller.refreshed.connect(self._due.ask)
        controller.read.connect(self._due.ask)
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
        if pane >= len(self.of) or self.of[pane].probe is None:
            return False
        return self.of[pane].same(self._of(pane))

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
        return Of(content.key, self.controller.owner_of(pane), content.probe)

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
        of = tuple(self._of(pane) for pane in range(count))
        waiting = any(one.owner is not None and one.probe is None for one in of)
        if waiting and any(one.probe is not None for one in of) and not self._late.isActive():
            if not self._overdue:  # those of the other panes are under way: all are told at once
                self._late.start()
                self.changed.emit()
                return
            self._overdue = False
        elif waiting and self._late.isActive():
            return
        self._late.stop()
        readings = tuple(self._reading(pane) for pane in range(count))
        reference = min(self.panes.view.reference, count - 1)
        together = tuple(self.controller.aligning.of_same_scene())
        if reference not in together:  # a picture of another scene is held against its like
            together = tuple(k for k in range(count) if k == reference or k not in together)
        condition = CONDITIONS[self.panes.contents[0].range_under].words
        held = Held(readings, reference, together, condition, LETTERS[:count], self.at_spots)
        if self._asked is not None and self._asked.same(held, of):
            return
        self._asked = _Asked(held, of)
        if any(one.probe is not None for one in of):
            self.service.hold(self._asked, held)
        self.changed.emit()

    def _no_longer(self) -> None:
        """Figures of some panes do not come: the others are told without them."""
        self._overdue = True
        self._ask()

    def _held(self, asked: _Asked, told: SideBySide, verdict: Verdict) -> None:
        if len(asked.of) == len(self.panes.contents):
            self.told, self.verdict, self.of = told, verdict, asked.of
            self.changed.emit()
