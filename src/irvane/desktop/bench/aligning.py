"""Frames of one scene laid on that of the first pane: each pair of frames is looked at once."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from irvane.core.judge.alignment import Between, Mapping, between
from irvane.desktop.bench.panes import Panes
from irvane.desktop.service import RenderService
from irvane.desktop.view_request import ViewRequest


class Aligning(QObject):
    """Finds how frames lie on each other, and tells their panes.

    Signals
    -------
    found : how two frames lie is known now.
    """

    found = Signal()

    def __init__(self, panes: Panes, service: RenderService, parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.service = panes, service
        self._mappings: dict[tuple[str, str], Mapping | None] = {}
        self._aligning: set[tuple[str, str]] = set()
        self._alike: set[tuple[str, str]] = set()
        service.comparison.aligned.connect(self._aligned)
        service.improved.connect(lambda _key: self._aligning.clear())

    def align(self, requests: list[ViewRequest | None]) -> bool:
        """Have frames laid on that of the first pane, each pair of frames once; did any of them move?"""
        first, before = requests[0], [content.mapping for content in self.panes.contents]
        self.panes.contents[0].mapping = None
        for pane, request in enumerate(requests[1:], 1):
            content = self.panes.contents[pane]
            if first is None or request is None or not self.panes.view.aligning:
                content.mapping = None
                continue
            pair = first.source.key, request.source.key
            if pair[0] == pair[1] or pair in self._mappings:
                content.mapping = self._between(first, request, self._mappings.get(pair))
            elif pair not in self._aligning:
                self._aligning.add(pair)
                self.service.comparison.align(first, request)
        return any(a is not c.mapping for a, c in zip(before, self.panes.contents, strict=True))

    def _between(self, one: ViewRequest, two: ViewRequest, frames: Mapping | None) -> Between | None:
        """How what the second shows lies on what the first shows; None while one of them is not there."""
        engine = self.service.engine
        frame, other = (engine.best(request.source, request.settings.sensor) for request in (one, two))
        if frame is None or other is None:
            return None
        strangers = one.source.key != two.source.key and frames is None
        if strangers and frame.developed.extent != other.developed.extent:
            return None
        return between(frame.geometry(one.settings), other.geometry(two.settings), frames)

    def _aligned(self, one: ViewRequest, two: ViewRequest, mapping: Mapping | None) -> None:
        pair = one.source.key, two.source.key
        self._aligning.discard(pair)
        if mapping is not None and mapping.found:
            self._alike.add(pair)
        if mapping is not None:
            self._mappings[pair] = mapping if mapping.found and not mapping.plain else None
            self.found.emit()

    def of_same_scene(self) -> list[int]:
        """The panes that show the scene of the first one: its own frame, or one that was found to be laid on
        it."""
        keys = [None if c.facts_of is None else c.facts_of.source.key for c in self.panes.contents]
        first = keys[0]
        return [
            k
            for k, key in enumerate(keys)
            if key is not None and (key == first or (first, key) in self._alike)
        ]
