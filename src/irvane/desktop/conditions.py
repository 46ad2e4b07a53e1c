"""What commands need: each condition with the sentence that says why something is greyed, and what would free
it. And which commands are on or off."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from irvane.core.files.benches import last_path
from irvane.core.line.merging import MergeSource
from irvane.desktop.bench.bench import FEWEST, MOST
from irvane.desktop.bench.panes import DIFFERENCE, DIVIDED
from irvane.desktop.item import BARE, Item
from irvane.desktop.line.rests import BARE_RESTS
from irvane.desktop.whole import Whole


def _item(window: Whole) -> Item | None:
    return window.proofs.item()


def _selected(window: Whole) -> list[int]:
    return [n for n in window.sheeting.selected_items() if n in window.session.items]


def _mergeable(window: Whole) -> bool:
    item = _item(window)
    merge = item is not None and isinstance(item.source, MergeSource)
    return len(_selected(window)) > 1 or merge or bool(item is not None and (item.bracket or item.panorama))


def _in_a_set(window: Whole) -> bool:
    item = _item(window)
    return item is not None and bool(item.bracket)


def _has_proof(window: Whole) -> bool:
    item = _item(window)
    return item is not None and window.proofs.number != BARE


def _others(window: Whole) -> bool:
    return sum(item.ready for item in window.session.items.values()) > 1


def _has_regions(window: Whole) -> bool:
    item = _item(window)
    return item is not None and _has_proof(window) and bool(item.settings(window.proofs.number).regions)


#: By name: does it hold, and the sentence for where it does not.
CONDITIONS: dict[str, tuple[Callable[[Any], bool], str]] = {
    "any": (lambda w: bool(w.session.items), "Nothing is open: bring in files or a folder first."),
    "frame": (
        lambda w: _item(w) is not None,
        "No frame is chosen: bring in files or a folder, and choose one at the left.",
    ),
    "proof": (_has_proof, BARE_RESTS),
    "meant": (
        lambda w: bool(w.sheeting.meant()),
        "No frame is chosen: choose one at the left, or some on the contact sheet.",
    ),
    "several": (
        lambda w: len(_selected(w)) > 1,
        "Select two frames or more, at the left or on the contact sheet (Ctrl or Shift and click).",
    ),
    "mergeable": (
        _mergeable,
        "Select the frames to merge, at the left or on the contact sheet (Ctrl or Shift and click), or "
        "choose "
        "a frame of a set.",
    ),
    "bracket": (
        _in_a_set,
        "This frame does not belong to a bracket: select its frames (Ctrl or Shift and click), then merge "
        "them.",
    ),
    "set": (_in_a_set, "This frame stands alone already."),
    "others": (_others, "Open more frames: the settings are copied to them."),
    "copied": (lambda w: w.proofs.copied is not None, "Nothing is copied yet: Copy settings comes first."),
    "regions": (_has_regions, "This proof has no regions."),
    "station": (lambda w: bool(w.band.station), "No station is open: click one in the line at the bottom."),
    "undo": (lambda w: w.session.undo.canUndo(), "Nothing has been changed yet."),
    "redo": (lambda w: w.session.undo.canRedo(), "Nothing was taken back."),
    "last": (lambda _w: last_path().exists(), "No window was closed here yet."),
    "decided": (lambda w: bool(w.automatic.made), "Automatic has not looked at any frame yet."),
    "waits": (lambda w: w.bench.panes.waiting.on, "Deblurring does not wait: it is done at once."),
    "room": (lambda w: w.bench.count < MOST, f"There are {MOST} panes, which is the most."),
    "spare": (lambda w: w.bench.count > FEWEST, f"There are {FEWEST} panes, which is the least."),
}
#: Which commands are on now; they carry a tick.
TICKS: dict[str, Callable[[Any], bool]] = {
    "sheet": lambda w: w.sheeting.on,
    "bare": lambda w: w.proofs.item() is not None and w.proofs.number == BARE,
    "frame_it": lambda w: not w.framing.strip.isHidden(),
    "regions": lambda w: not w.regions.strip.isHidden(),
    "strip": lambda w: not w.bench.test_strip.isHidden(),
    "divide": lambda w: w.bench.arrangement == DIVIDED,
    "difference": lambda w: w.bench.arrangement == DIFFERENCE,
    "align": lambda w: w.bench.panes.view.aligning,
    "free": lambda w: w.bench.panes.view.free,
    "match": lambda w: bool(w.bench.panes.matching),
    "loupe": lambda w: w.judging.loupe,
    "marks": lambda w: w.bench.panes.view.marks,
    "deblur_waits": lambda w: w.bench.panes.waiting.on,
    "full": lambda w: w.isFullScreen(),
    "path": lambda w: not w.path.isHidden(),
    "blink_timed": lambda w: w.judging.blinks_by_itself,
}


def reason(window: Whole, needs: Iterable[str]) -> str:
    """Why a command cannot be done now, in a sentence; empty where it can."""
    for need in needs:
        holds, sentence = CONDITIONS[need]
        if not holds(window):
            return sentence
    return ""
