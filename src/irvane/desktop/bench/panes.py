"""What the panes show and share: contents, the chosen one, zoom and place, the probe. No widget."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import QSize

from irvane.core.colour.soft_proof import SoftProof
from irvane.core.judge.difference import DifferenceFigures
from irvane.core.lens.framing import uncropped
from irvane.core.line.clip_flags import Limits
from irvane.core.line.looks import PICTURE
from irvane.core.line.view import Rendered
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.region import LocalRegion
from irvane.core.settings import Settings, bare, copied_settings
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.viewport import Viewport
from irvane.desktop.bench.waiting import Waiting
from irvane.desktop.item import Item
from irvane.desktop.session import Session
from irvane.desktop.view_request import ViewRequest

#: Names of the panes.
LETTERS = ("A", "B", "C", "D", "E", "F")
#: Arrangements.
ONE, BESIDE, DIVIDED, DIFFERENCE = "one", "beside", "divided", "difference"
#: Largest and smallest side of the probe in pixels; between them it is a thirtieth of the frame's shorter
#: side.
PROBE_LARGEST, PROBE_SMALLEST = 64, 16

_NO_DIFFERENCE = "These two differ in their number of pixels: they cannot be subtracted."


def difference_words(found: DifferenceFigures) -> str:
    """``What is seen here: PSNR 38.1 dB, SSIM 0.953, ΔE2000 2.1 (95 %: 4.0)``"""
    psnr = "equal" if found.psnr is None else f"PSNR {found.psnr:.1f} dB"
    return f"What is seen here: {psnr}, SSIM {found.ssim:.3f}, ΔE2000 {found.delta_e:.1f} (95 %: {found.delta_e_95:.1f})"


@dataclass(frozen=True)
class BenchView:
    """How a bench is looked at: one record, changed as a whole by :meth:`Panes.change`.

    Attributes
    ----------
    arrangement : one pane, all beside each other, two divided by a line, or their difference.
    blinking : every picture shows the other pane's content.
    split, split_angle : where the dividing line crosses the picture (share of its width), and its slant in
        degrees.
    chosen : the pane whose proof the controls act on. reference : the pane that the others' figures are held
        against.
    matched : in what (KINDS of matching) the views of all panes are made equal to that of pane A.
    difference : kind (of KINDS) and amplification of the difference picture.
    aligning : frames of one scene that differ in place, size or turn are laid on pane A's.
    look : key of LOOKS, for all panes. marks : clipped places are hatched, within `limits`.
    inside : the region that the figures are read in; None: they are read under the probe.
    probe : centre of the probe, as shares of the width and height of pane A's frame, before crop and
        corrections: it stays on its thing; until it is placed by hand (`probe_placed`), on an even place.
    framing : the whole corrected frame is seen, to choose what of it is shown.
    free : each pane has a zoom and a place of its own.
    medium : what pictures are seen as on; None: as they are.
    """

    arrangement: str = BESIDE
    blinking: bool = False
    split: float = 0.5
    split_angle: float = 0.0
    chosen: int = 0
    reference: int = 0
    matched: frozenset[str] = frozenset()
    difference: tuple[str, float] = ("signed", 8.0)
    aligning: bool = True
    look: str = PICTURE
    marks: bool = False
    limits: Limits = Limits()
    inside: LocalRegion | None = None
    probe: tuple[float, float] = (0.5, 0.5)
    probe_placed: bool = False
    framing: bool = False
    free: bool = False
    medium: SoftProof | None = None


class Panes:
    """The state of a bench: all that is shown follows from it.

    Attributes
    ----------
    view : how it is looked at.
    contents : what each pane shows. difference_content : where the difference of the chosen pane and the
        other is shown.
    waiting : deblurring that is computed only when it is asked for.
    viewport : zoom and place of all panes; viewports : of each pane by itself, while `free`.
    size_of : size in device pixels of the widget that paints a pane.
    """

    def __init__(self, session: Session, viewport: Viewport, size_of: Callable[[int], QSize]) -> None:
        self.session, self.viewport, self.size_of = session, viewport, size_of
        self.viewports: list[Viewport] = []
        self.waiting = Waiting()
        self.contents = [Content(), Content()]
        self.difference_content = Content()
        self.view = BenchView()

    def change(self, **values: Any) -> None:
        """Look at the bench otherwise; raises TypeError for what a view has not."""
        self.view = replace(self.view, **values)

    def begin_probe(self, pane: int, place: tuple[float, float] | None) -> None:
        """Until it is placed by hand, the probe lies where the first pane's frame is most even (None: not
        known)."""
        if pane == 0 and place is not None and not self.view.probe_placed:
            self.change(probe=place)

    def take_difference(
        self, made: tuple[Rendered, DifferenceFigures | None] | None, of: tuple[ViewRequest, ViewRequest]
    ) -> None:
        """The difference picture that was asked for, with the figures of what is seen; None: it cannot be
        had."""
        content = self.difference_content
        content.problem = "" if made is not None else _NO_DIFFERENCE
        if made is None:
            return
        rendered, found = made
        content.take(rendered, self.contents[self.view.chosen].extent, "final", of)
        content.instead = "" if found is None else difference_words(found)

    def with_key(self, key: int) -> int | None:
        """The place of a pane on the bench; None when it is gone."""
        return next((k for k, content in enumerate(self.contents) if content.key == key), None)

    def item(self, pane: int) -> Item | None:
        """The item a pane shows."""
        number = self.contents[pane].item
        return None if number is None else self.session.items.get(number)

    def settings(self, pane: int) -> Settings | None:
        """The settings a pane shows."""
        item, content = self.item(pane), self.contents[pane]
        if item is None:
            return None
        settings = item.settings(content.proof)
        if self.view.framing:
            settings = replace(settings, lens=uncropped(settings.lens))
        return copied_settings(bare(), settings, (content.without,)) if content.without else settings

    def viewport_of(self, pane: int) -> Viewport:
        """Zoom and place of a pane."""
        return self.viewports[pane] if self.view.free else self.viewport

    @property
    def matching(self) -> bool:
        """Is anything matched?"""
        return bool(self.view.matched)

    @property
    def other(self) -> int:
        """The pane that the chosen one is held against: the next, or before the last."""
        return (self.view.chosen + 1) % len(self.contents)

    def probe_region(self, pane: int) -> OutputRegion:
        """The probe's rectangle in a pane's picture."""
        content = self.contents[pane]
        h, w = content.extent
        x, y = self.contents[0].own_probe(*self.view.probe)
        if content.mapping is None:  # the same share of a picture of another size
            high, wide = self.contents[0].extent
            x, y = x * w / wide, y * h / high
        else:
            x, y = content.own_place(x, y)
        # as large on its thing whatever is cropped or turned
        shorter = min(content.extent if content.geometry is None else content.geometry.frame)
        side = min(max(shorter // 30, PROBE_SMALLEST), PROBE_LARGEST, h, w)
        left = round(min(max(x - side / 2, 0), w - side))
        top = round(min(max(y - side / 2, 0), h - side))
        return OutputRegion(top, left, top + side, left + side)
