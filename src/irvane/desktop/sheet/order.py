"""Which frames the contact sheet shows, and in what order."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import Any

from irvane.core.files.proofs import KEEP, REJECT
from irvane.core.files.searching import Searched, wanted
from irvane.core.judge.ranking import ranks
from irvane.core.names import natural_key
from irvane.desktop.item import Item
from irvane.desktop.plain import counted
from irvane.desktop.session import Session


def _time(item: Item) -> tuple[Any, ...]:
    moment = item.info.moment
    return moment.isoformat() if moment else "~", natural_key(item.source.name)


def _noise(item: Item) -> tuple[Any, ...]:
    snr = item.measured.snr if item.measured else None
    return math.inf if snr is None else -snr, natural_key(item.source.name)


def _has_stars(least: int, item: Item) -> bool:
    return item.sidecar.stars >= least


#: The order that is found among the frames, not of each by itself.
SHARPNESS = "sharpness"
SORTS: dict[str, Callable[[Item], tuple[Any, ...]]] = {
    "time": _time,
    "name": lambda item: (natural_key(item.source.name),),
    "ISO": lambda item: (item.info.iso or 0.0, natural_key(item.source.name)),
    "lens": lambda item: (item.info.lens, *_time(item)),
    "camera": lambda item: (item.info.model, *_time(item)),
    "size": lambda item: (-(item.info.size or 0), natural_key(item.source.name)),
    "focal length": lambda item: (item.info.focal or 0.0, natural_key(item.source.name)),
    "exposure": lambda item: (item.info.exposure_value or 0.0, natural_key(item.source.name)),
    "stars": lambda item: (-item.sidecar.stars, natural_key(item.source.name)),
    SHARPNESS: lambda item: (natural_key(item.source.name),),
    "noise": _noise,
}
SHOWN: dict[str, Callable[[Item], bool]] = {
    "all": lambda item: True,
    "not rejected": lambda item: item.sidecar.mark != REJECT,
    "kept": lambda item: item.sidecar.mark == KEEP,
    "rejected": lambda item: item.sidecar.mark == REJECT,
    "without a mark": lambda item: not item.sidecar.mark and not item.sidecar.stars,
    "sets": lambda item: bool(item.bracket or item.panorama),
    **{f"{counted(n, 'star')}{' or more' if n < 5 else ''}": partial(_has_stars, n) for n in range(1, 6)},
    "sharp enough": lambda item: item.measured is not None and item.measured.sharp_enough,
    "not sharp": lambda item: item.measured is not None and not item.measured.sharp_enough,
    "visible noise": lambda item: item.measured is not None and item.measured.is_noisy,
}  # fmt: skip
#: Orders and choices that need figures of the whole frame.
MEASURED = (SHARPNESS, "noise", "sharp enough", "not sharp", "visible noise")


def arranged(session: Session, by: str, shown: str, text: str, folded: bool) -> list[int]:
    """Numbers of the items that are shown, in their order.

    Parameters
    ----------
    by, shown : keys of SORTS and SHOWN. text : as :mod:`irvane.core.files.searching` reads it.
    folded : of a bracket only the first frame. Of a raw and a finished picture of one shot only the raw is
        shown anyway.
    """
    items = [item for item in (session.items[number] for number in session.order) if item.leads]
    if shown != "all" or text.strip():
        fits = wanted(text)
        items = [
            item
            for item in items
            if SHOWN[shown](item)
            and fits(Searched(item.source.name, item.info, item.sidecar.mark, item.sidecar.stars))
        ]
    if folded:
        first: set[tuple[int, ...]] = set()
        items = [i for i in items if not i.bracket or not (i.bracket in first or first.add(i.bracket))]  # type: ignore[func-returns-value]
    items = sorted(items, key=SORTS[by])
    if by == SHARPNESS:
        order = ranks([(item.info, item.measured) for item in items])
        items = [item for _, item in sorted(zip(order, items, strict=True), key=lambda one: one[0])]
    return [item.number for item in items]


def mark_words(item: Item) -> str:
    """``keep, 3 stars``."""
    stars = item.sidecar.stars
    told = counted(stars, "star") if stars else ""
    return ", ".join(part for part in (item.sidecar.mark, told) if part)
