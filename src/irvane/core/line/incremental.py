"""A view that was moved: what was rendered before is kept, only what came into sight is rendered."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import replace

import numpy as np

from irvane.core.line.view import Rendered, Upstream
from irvane.core.pixels.places import OutputRegion

#: Share of the new view that must have been rendered before, for keeping it to pay.
_WORTH = 0.3


def render_moved(
    former: Rendered, region: OutputRegion, render: Callable[[OutputRegion], Rendered]
) -> Rendered:
    """A region at 1:1, with the pixels that `former` already shows.

    Parameters
    ----------
    former : a view at 1:1 of the same frame under the same settings.
    region : what is to be seen; its step is 1.
    render : renders a region, whole pixels to whole pixels.

    Returns
    -------
    The same pixels as ``render(region)``: at 1:1 every step knows its surroundings, wherever a view ends.
    """
    top, left = max(region.top, round(former.top)), max(region.left, round(former.left))
    bottom, right = min(region.bottom, round(former.bottom)), min(region.right, round(former.right))
    h, w = region.bottom - region.top, region.right - region.left
    if bottom <= top or right <= left or (bottom - top) * (right - left) < _WORTH * h * w:
        return render(region)
    pixels = np.empty((h, w, 4), np.uint8)
    marks = None if former.marks is None else np.empty((h, w), np.uint8)

    def put(part: Rendered, rows: tuple[int, int], columns: tuple[int, int]) -> None:
        """Copy frame rows and columns (half-open) of a rendered part into the view."""
        there = (
            slice(rows[0] - region.top, rows[1] - region.top),
            slice(columns[0] - region.left, columns[1] - region.left),
        )
        y, x = round(part.top), round(part.left)
        here = slice(rows[0] - y, rows[1] - y), slice(columns[0] - x, columns[1] - x)
        pixels[there] = part.pixels[here]
        if marks is not None and part.marks is not None:
            marks[there] = part.marks[here]

    put(former, (top, bottom), (left, right))
    for rows, columns in (
        ((region.top, top), (region.left, region.right)),
        ((bottom, region.bottom), (region.left, region.right)),
        ((top, bottom), (region.left, left)),
        ((top, bottom), (right, region.right)),
    ):
        if rows[1] > rows[0] and columns[1] > columns[0]:
            put(
                render(replace(region, top=rows[0], bottom=rows[1], left=columns[0], right=columns[1])),
                rows,
                columns,
            )
    return Rendered(pixels, region.top, region.left, region.bottom, region.right, marks, former.space)


class LastView:
    """The view that was rendered last; what is asked for next keeps what it shows already.

    Attributes
    ----------
    upstream : for rendering: what the view begins with.
    """

    def __init__(self) -> None:
        self._what: Hashable = None
        self._parts: tuple[object, ...] = ()
        self._rendered: Rendered | None = None
        self.upstream = Upstream()

    def render(
        self,
        what: Hashable,
        parts: tuple[object, ...],
        region: OutputRegion,
        render: Callable[[OutputRegion], Rendered],
    ) -> Rendered:
        """A region of a picture.

        Parameters
        ----------
        what : settings and all else that the look of the picture depends on, compared by value.
        parts : the pixels and facts that it is made from, compared by identity.
        region, render : see :func:`render_moved`.
        """
        same = (
            self._what == what
            and len(self._parts) == len(parts)
            and all(a is b for a, b in zip(self._parts, parts, strict=True))
        )
        at_1_to_1 = region.step == 1
        if self._rendered is not None and same and at_1_to_1:
            made = render_moved(self._rendered, region, render)
        else:
            made = render(region)
        # a frame that is still coarse has fewer pixels than its place
        whole = made.pixels.shape[:2] == (region.bottom - region.top, region.right - region.left)
        self._what, self._parts, self._rendered = what, parts, made if at_1_to_1 and whole else None
        return made
