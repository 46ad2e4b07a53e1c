"""What one pane shows: which proof of which item, its pictures so far, and its figures."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field
from itertools import count

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage

from irvane.core.files.preferences import preferences
from irvane.core.files.thumbnails import Preview
from irvane.core.judge.alignment import Between, Mapping
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.matching import Match
from irvane.core.judge.place import PlaceFigures
from irvane.core.line.frame import Frame
from irvane.core.line.source import DISPLAY
from irvane.core.line.view import Rendered
from irvane.core.noise.dynamic_range import USUAL
from irvane.core.pixels.geometry import Geometry
from irvane.core.waits import Wait
from irvane.desktop.bench.hatching import Marks, marks_of
from irvane.desktop.figures import At, Spread
from irvane.desktop.screen import SCREEN, picture_of
from irvane.desktop.view_request import Owner, ViewRequest

#: What a picture is while it is not final; shown in the pane itself.
STATES = {
    "nothing": "",
    "preview": "camera's own preview",
    "coarse": "coarse, being developed",
    "noisy": "noise not removed yet",
    "rough": "noise removed roughly for now",
    "instead": "the picture: the mosaic is read again",
    "final": "",
}


@dataclass(frozen=True)
class Layer:
    """A picture, the part of the frame it covers, and what was asked for (of a preview: its source)."""

    image: QImage
    rect: QRectF
    marks: Marks | None = None
    of: object = None

    def is_old(self, request: ViewRequest | None) -> bool:
        """Was it made of something else than is wanted now?"""
        return isinstance(self.of, ViewRequest) and request is not None and self.of.owner != request.owner


def image_of(pixels: np.ndarray, space: str = "srgb") -> QImage:
    """A QImage that owns its pixels (uint8 H×W×4 RGBA or H×W×3 RGB, in a colour space), in the colours of the
    screen."""
    return SCREEN.shown(picture_of(pixels), space)


_keys = count()


@dataclass
class Content:
    """State of one pane.

    Attributes
    ----------
    key : identity of the pane, whatever its place on the bench; what is asked for it comes back under this.
    wished, asked, shown : what it wants to show; what was asked for since it shows what it does (what was
        before is not taken any more); and what it shows in its final form.
    item, proof : what is shown; item None when the pane is empty.
    without : a station that is left out of the proof, to see what it does; empty: none.
    extent : height and width of the picture: of the output of the proof, or of the frame while only a preview
        is there.
    backdrop : a picture of the whole frame, shown where nothing better is there yet.
    current : the latest rendered part.
    state : key of STATES.
    busy : words on work going on for it, empty when none; wait : the stages that it waits for, and their
        time;
        working : words on the present stage.
    match : what was made equal to the first pane.
    instead : why the look that was asked for is not shown, empty when it is.
    range : dynamic range of the sensor in stops, under the condition `range_under`; None when not known.
    loupe : the place under the pointer at 1:1, while the loupe is on.
    mapping : how its picture lies on that of pane A, where they differ in place, size, turn or geometry;
        None: as it is.
    kept : share of the frame that is seen in the output.
    whole_of, probe_of, facts_of : what these figures were read of (those of the probe also where), and what
        the notes, the range and the share that is seen are of. Figures of something else are never shown: see
        :meth:`keep_own`.
    pinned : does it keep its frame when another is chosen?
    finished : is it of a finished file, which no station has to act on?
    spread : figures all over the picture, and what they were read of and where (`spread_of`).
    geometry : where the frame lies in its picture; None while only a preview is there.
    exact : the request for which the picture was rendered at full resolution and then reduced.
    """

    item: int | None = None
    proof: int = 0
    without: str = ""
    extent: tuple[int, int] = (2, 3)
    backdrop: Layer | None = None
    current: Layer | None = None
    state: str = "nothing"
    busy: str = ""
    wait: Wait | None = None
    wait_of: Hashable = None
    working: str = ""
    match: Match = field(default_factory=Match)
    problem: str = ""
    whole: WholeFigures | None = None
    probe: PlaceFigures | None = None
    range: float | None = None
    range_under: str = USUAL
    loupe: Layer | None = None
    mapping: Mapping | Between | None = None
    notes: tuple[str, ...] = field(default=())
    exact: ViewRequest | None = None
    instead: str = ""
    kept: float = 1.0
    finished: bool = False
    pinned: bool = False
    geometry: Geometry | None = None
    whole_of: Owner | None = None
    probe_of: tuple[Owner, object] | None = None
    facts_of: Owner | None = None
    spread: Spread | None = None
    spread_of: tuple[Owner, At] | None = None
    key: int = field(default_factory=lambda: next(_keys))
    wished: ViewRequest | None = None
    asked: list[ViewRequest] = field(default_factory=list)
    shown: ViewRequest | None = None
    _previewed: Preview | None = None

    def forget(self) -> None:
        """What was asked for is of no use any more."""
        self.wished = self.shown = None
        self.asked.clear()

    def end_wait(self) -> None:
        """Nothing is waited for."""
        self.busy, self.wait, self.wait_of = "", None, None

    def learn(self, frame: Frame, owner: Owner) -> None:
        """Take over what a developed frame tells of itself under a proof's settings."""
        self.geometry = geometry = frame.geometry(owner.settings)
        self.extent, self.kept = geometry.output, geometry.kept
        self.notes, self.finished = frame.developed.notes, frame.developed.entry == DISPLAY
        self.range_under = preferences().range_under
        self.range = frame.dynamic_range(self.range_under)
        self.facts_of = owner

    def unlearn(self) -> None:
        """Nothing is known of what is shown now."""
        self.geometry, self.kept, self.notes, self.range, self.facts_of = None, 1.0, (), None, None
        self.finished = False

    def keep_own(self, owner: Owner | None, place: object = None) -> None:
        """Give up figures of anything else than what is shown now, and (where a place is given) of other
        places."""
        if self.whole_of != owner:
            self.whole = self.whole_of = None
        if self.probe_of is None or self.probe_of[0] != owner or place not in (None, self.probe_of[1]):
            self.probe = self.probe_of = None

    def own_probe(self, x: float, y: float) -> tuple[float, float]:
        """A place of the frame (shares of its width and height) in this pane's picture, in its pixels."""
        h, w = self.extent
        if self.geometry is None:
            return x * w, y * h
        high, wide = self.geometry.frame
        there = self.geometry.to_output(np.array([[x * wide, y * high]]))[0]
        return (float(there[0]), float(there[1])) if np.isfinite(there).all() else (w / 2, h / 2)

    def in_frame(self, x: float, y: float) -> tuple[float, float]:
        """The inverse of :meth:`own_probe`, kept inside the frame."""
        h, w = self.extent
        x, y = min(max(x, 0), w), min(max(y, 0), h)
        if self.geometry is not None:
            h, w = self.geometry.frame
            x, y = (float(v) for v in np.nan_to_num(self.geometry.to_frame(np.array([[x, y]]))[0]))
        return min(max(x / w, 0), 1), min(max(y / h, 0), 1)

    @property
    def offset(self) -> float:
        """EV added to the view to match the first pane."""
        return self.match.offset

    @property
    def reference(self) -> tuple[int, int]:
        """Height and width of the frame whose places all panes share."""
        return self.extent if self.mapping is None else self.mapping.extent

    def own_place(self, x: float, y: float) -> tuple[float, float]:
        """A place of the shared frame in this pane's frame."""
        return (x, y) if self.mapping is None else self.mapping.place(x, y)

    def show_item(self, item: int | None, proof: int, preview: Preview | None) -> None:
        """Begin to show something else."""
        self.item, self.proof, self.without = item, proof, ""
        self.current = self.backdrop = None
        self.state, self.problem = "nothing", ""
        self.end_wait()
        self.exact, self.loupe, self.instead = None, None, ""
        self.keep_own(None)
        self.unlearn()
        self.match, self.mapping = Match(), None
        self.spread = self.spread_of = None
        self.forget()
        if preview is not None:
            self.take_preview(preview, item)

    def take_preview(self, preview: Preview, item: int | None) -> None:
        """Show the embedded preview while nothing better is there."""
        shown = self.state == "preview" and self._previewed is preview
        if self.current is not None or shown:
            return
        self.extent, self._previewed = preview.extent, preview
        h, w = preview.extent
        self.backdrop = Layer(image_of(preview.pixels), QRectF(0, 0, w, h), of=item)
        self.state = "preview"

    def take_loupe(self, rendered: Rendered, of: ViewRequest) -> None:
        """Show a place at 1:1 under the loupe."""
        rect = QRectF(
            rendered.left, rendered.top, rendered.right - rendered.left, rendered.bottom - rendered.top
        )
        self.loupe = Layer(image_of(rendered.pixels, rendered.space), rect, of=of)

    def take(self, rendered: Rendered, extent: tuple[int, int], state: str, of: object) -> None:
        """Show a rendered view."""
        rect = QRectF(
            rendered.left, rendered.top, rendered.right - rendered.left, rendered.bottom - rendered.top
        )
        marks = None if rendered.marks is None else marks_of(rendered.marks)
        layer = Layer(image_of(rendered.pixels, rendered.space), rect, marks, of)
        self.extent, self.current, self.state = extent, layer, state
        h, w = extent
        if rect.width() > 0.95 * w and rect.height() > 0.95 * h:
            self.backdrop = layer
