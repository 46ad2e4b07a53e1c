"""Judging spots of the frames on the bench: found once for each, when somebody asks."""

from __future__ import annotations

from collections.abc import Hashable

from PySide6.QtCore import QObject, Signal

from irvane.core.judge.spots import Spot
from irvane.desktop.bench.controller import ViewController
from irvane.desktop.bench.panes import Panes
from irvane.desktop.service import RenderService
from irvane.desktop.view_request import ViewRequest


class Spotting(QObject):
    """Finds and keeps judging spots.

    Signals
    -------
    ready(spots) : those that were asked for, of the chosen pane. found : more are known.
    """

    ready = Signal(object)
    found = Signal()

    def __init__(self, panes: Panes, service: RenderService, controller: ViewController) -> None:
        super().__init__(controller)
        self.panes, self.service, self.controller = panes, service, controller
        self._spots: dict[Hashable, list[Spot]] = {}
        self._wanted = False
        service.comparison.spotted.connect(self._spotted)

    def ask(self) -> None:
        """Have the judging spots of the chosen pane's picture found; ready follows."""
        request = self.controller.request_of(self.panes.view.chosen)
        if request is None:
            self.ready.emit([])
        elif (known := self._spots.get(_of(request))) is not None:
            self.ready.emit(known)
        else:
            self._wanted = True
            self.service.comparison.find_spots(request)

    def known(self, pane: int) -> list[Spot] | None:
        """The judging spots of a pane's picture; None while they are not known."""
        request = self.controller.request_of(pane)
        return None if request is None else self._spots.get(_of(request))

    def find(self, pane: int) -> None:
        """Have those found; found follows, once the picture is developed."""
        request = self.controller.request_of(pane)
        if request is not None:
            self.service.comparison.find_spots(request)

    def _spotted(self, request: ViewRequest, spots: list[Spot]) -> None:
        if spots:
            self._spots[_of(request)] = spots
            self.found.emit()
        if self._wanted:
            self._wanted = False
            self.ready.emit(spots)


def _of(request: ViewRequest) -> Hashable:
    """What judging spots belong to: a source under its geometry."""
    return request.source.key, request.settings.lens
