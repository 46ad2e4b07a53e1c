"""What the panes show and share: contents, the chosen one, zoom and place, the probe. No widget."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize

from irvane.core.line.looks import PICTURE
from irvane.core.line.marks import Limits
from irvane.core.line.picture import Region
from irvane.core.settings import Settings
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.viewport import Viewport
from irvane.desktop.session import Item, Session

#: Largest and smallest side of the probe in pixels; between them it is a thirtieth of the frame's height.
PROBE_LARGEST, PROBE_SMALLEST = 64, 16


class Panes:
    """The state of a bench.

    Attributes
    ----------
    chosen : the pane whose proof the controls act on.
    matching : pane B is brightened to match pane A.
    look : key of LOOKS, for all panes. marks : clipped places are hatched, within `limits`.
    probe : centre of the probe, as shares of the frame's width and height.
    size_of : size in device pixels of the widget that paints a pane.
    """

    def __init__(self, session: Session, viewport: Viewport, size_of: Callable[[int], QSize]) -> None:
        self.session, self.viewport, self.size_of = session, viewport, size_of
        self.contents = [Content(), Content()]
        self.chosen = 0
        self.matching = False
        self.probe = (0.5, 0.5)
        self.look = PICTURE
        self.marks = False
        self.limits = Limits()

    def item(self, pane: int) -> Item | None:
        """The item a pane shows."""
        number = self.contents[pane].item
        return None if number is None else self.session.items.get(number)

    def settings(self, pane: int) -> Settings | None:
        """The settings a pane shows."""
        item = self.item(pane)
        return None if item is None else item.settings(self.contents[pane].proof)

    def probe_region(self, pane: int) -> Region:
        """The probe's rectangle in a pane's frame."""
        h, w = self.contents[pane].extent
        side = min(max(h // 30, PROBE_SMALLEST), PROBE_LARGEST, h, w)
        left = round(min(max(self.probe[0] * w - side / 2, 0), w - side))
        top = round(min(max(self.probe[1] * h - side / 2, 0), h - side))
        return Region(top, left, top + side, left + side)
