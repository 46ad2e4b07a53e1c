"""What is on the screen, held against what it belongs to: source, settings, place."""

from __future__ import annotations

from irvane.desktop.view_request import ViewRequest
from irvane.desktop.window import Window


def foreign(window: Window) -> list[str]:
    """Sentences on every picture, figure and text on the bench that is of something else than the pane shows."""
    found: list[str] = []
    bench = window.bench
    for pane, content in enumerate(bench.contents):
        item, request = bench.item(pane), bench.controller.request_of(pane)
        name = f"pane {pane}"
        source = None if item is None else item.source
        for what in ("current", "backdrop", "loupe"):
            layer = getattr(content, what)
            if layer is None:
                continue
            if isinstance(layer.of, ViewRequest):
                if layer.of.source is not source:
                    found.append(f"{name}: {what} is of {layer.of.source.name}")
            elif layer.of != content.item:
                found.append(f"{name}: {what} is the preview of item {layer.of}")
        owner = None if request is None else request.owner
        if request is not None:
            if content.whole is not None and content.whole_of != owner:
                found.append(f"{name}: figures of another proof")
            owned, place = content.probe_of or (owner, bench.controller.place_of(pane))
            if content.probe is not None and owned != owner:
                found.append(f"{name}: probe of another proof")
            if content.probe is not None and place != bench.controller.place_of(pane):
                found.append(f"{name}: probe of another place")
            if content.facts_of is not None and content.facts_of.source is not source:
                found.append(f"{name}: facts of {content.facts_of.source.name}")
            if content.facts_of is None and (content.range is not None or content.notes):
                found.append(f"{name}: facts of nothing")
            if content.busy and content.wait is None:
                found.append(f"{name}: “{content.busy}” for no wait")
        else:
            if content.whole is not None or content.probe is not None:
                found.append(f"{name}: figures of nothing")
    return found


def foreign_when_still(window: Window) -> list[str]:
    """The same once nothing is computed: pictures and captions are of just these settings, too."""
    found = foreign(window)
    bench = window.bench
    item = window.proofs.item()
    if item is not None and item.ready and not bench.hidden:
        content, request = bench.contents[bench.chosen], bench.controller.request_of(bench.chosen)
        if window.band.of != (item.number, item.settings(content.proof)):
            found.append("the stations' words are of another proof")
        if (
            window.shelf.isVisible()
            and request is not None
            and window.shelf.plot_of not in (None, request.owner)
        ):
            found.append("the histogram is of another proof")
    for pane, content in enumerate(bench.contents):
        request, item = bench.controller.request_of(pane), bench.item(pane)
        if request is None or item is None or content.current is None:
            continue
        made = content.current.of
        if not isinstance(made, ViewRequest) or made != request:
            found.append(f"pane {pane}: the picture is of other settings or another place")
        caption = bench.captions[pane]
        told = not bench.hidden and caption.isVisible()
        if told and (caption.of[0] is not item or caption.of[1] not in (None, request.owner)):
            found.append(f"pane {pane}: the caption is of something else")
        if content.probe is not None and not bench.telling.is_current(pane):
            found.append(f"pane {pane}: its column of the table is of something else")
        if content.busy:
            found.append(f"pane {pane}: “{content.busy}” though nothing is done")
    return found
