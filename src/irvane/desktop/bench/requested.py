"""What a pane wants to show, from the state of the bench alone."""

from __future__ import annotations

from irvane.core.line.looks import shown_as
from irvane.core.line.source import Source
from irvane.core.settings import Settings
from irvane.desktop.bench.panes import Panes
from irvane.desktop.view_request import ViewRequest


def requested(panes: Panes, pane: int, source: Source, settings: Settings, space: str) -> ViewRequest:
    """The view that a pane wants of a source under a proof's settings, for a screen of a colour space."""
    content = panes.contents[pane]
    region = panes.viewport_of(pane).region(content.extent, panes.size_of(pane), content.mapping)
    limits = panes.view.limits if panes.view.marks else None
    return ViewRequest(
        source,
        content.match.applied(settings),
        region,
        content.offset,
        shown_as(panes.view.look, region.step),
        limits,
        space,
        panes.view.medium,
    )
