"""Figures of what panes show, read from full-resolution pixels once these are there."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from irvane.core.errors import IrvaneError
from irvane.core.finish.coded_size import coded_size
from irvane.core.judge.alignment import Between, Mapping
from irvane.core.judge.figures import whole_figures
from irvane.core.judge.inside import region_figures
from irvane.core.judge.place import PlaceFigures, place_figures
from irvane.core.judge.reading import read_nodes, read_spots, spot_squares
from irvane.core.judge.readings import Reading, SideBySide
from irvane.core.judge.side_by_side import at_spot, side_by_side
from irvane.core.judge.spots import Spot
from irvane.core.judge.verdict import SPOTS, Verdict, verdict
from irvane.core.line.engine import Engine
from irvane.core.line.jobs import Worker
from irvane.core.line.looks import look_of
from irvane.core.line.placing import at_source
from irvane.core.line.source import Source
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.region import LocalRegion
from irvane.core.settings import Settings
from irvane.desktop.view_request import ViewRequest


@dataclass(frozen=True)
class At:
    """Where figures all over a picture are read.

    Attributes
    ----------
    spots : judging spots of the reference. extent : its height and width.
    mapping : how the picture lies on it; None: at the same shares of its sides.
    """

    spots: tuple[Spot, ...]
    extent: tuple[int, int]
    mapping: Mapping | Between | None


@dataclass(frozen=True, eq=False)
class Spread:
    """Figures all over a picture: its light at many places, those at the judging spots, bytes of its file."""

    nodes: np.ndarray
    spots: tuple[tuple[str, PlaceFigures], ...]
    size: int


@dataclass(frozen=True)
class Held:
    """What is held against each other, see :func:`irvane.core.judge.side_by_side.side_by_side`; `spots`: is
    the verdict that of all judging spots, and not of the probe's place?"""

    readings: tuple[Reading | None, ...]
    reference: int
    together: tuple[int, ...]
    condition: str
    names: tuple[str, ...]
    spots: bool


class Figures(QObject):
    """Asks the workers.

    Signals
    -------
    figures(pane, request, WholeFigures, exact Rendered or None), probed(pane, request, place, PlaceFigures or
    None) sized(settings, bytes or None) : how large a proof's file will be. readings(pane, request, at,
    Spread)
    : figures all over the picture. held(key, SideBySide, Verdict) : pictures held against each other.
    """

    figures = Signal(int, object, object, object)
    probed = Signal(int, object, object, object)
    sized = Signal(object, object)
    readings = Signal(int, object, object, object)
    held = Signal(object, object, object)

    def __init__(
        self,
        engine: Engine,
        heavy: Worker,
        view: Worker,
        tell: Callable[[Source], Callable[[IrvaneError], None]],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.engine, self._heavy, self._view, self._tell = engine, heavy, view, tell

    def measure(self, pane: int, request: ViewRequest) -> None:
        """Figures of the whole proof and its exact reduced picture, once its final form is there."""
        frame = self.engine.best(request.source, request.settings.sensor)
        if frame is None or frame.coarse or not frame.complete_for(request.settings):
            return
        look = look_of(request.look)
        exact = request.region.step if request.region.step > 1 and look.is_light else None
        self._heavy.submit(
            ("figures", request.source.key, pane),
            lambda progress: whole_figures(
                frame.fitting(request.settings).developed,
                request.settings,
                frame.context,
                progress,
                exact,
                request.offset + look.lift,
                request.marks,
                request.space,
            ),
            lambda found: self.figures.emit(
                pane, request, found[0], found[1] and request.on_medium(found[1])
            ),
            self._tell(request.source),
            7,
        )

    def probe(self, pane: int, request: ViewRequest, place: OutputRegion | LocalRegion) -> None:
        """Figures of a rectangle, or inside a region; None while the pixels they would be read from are not
        there."""
        frame = self.engine.best(request.source, request.settings.sensor)
        settings = request.settings
        clean = None
        if frame is not None and isinstance(place, OutputRegion):
            clean = frame.clean(*at_source(settings, frame.context, place))
        ready = frame is not None and not frame.coarse and not frame.to_be_refined(settings)
        if frame is None or not ready or (not frame.denoised_for(settings) and clean is None):
            self.probed.emit(pane, request, place, None)
            return

        def work(_progress: Any) -> Any:
            developed = frame.fitting(settings).developed
            try:
                if isinstance(place, OutputRegion):
                    return place_figures(developed, settings, frame.context, place, clean)
                return region_figures(place, developed, settings, frame.context)
            except ValueError:  # outside this frame
                return None

        self._view.submit(
            ("probe", pane),
            work,
            lambda found: self.probed.emit(pane, request, place, found),
            self._tell(request.source),
            2,
            let_finish=True,
        )

    def read(self, pane: int, request: ViewRequest, at: At) -> bool:
        """Read figures all over a picture, once its final form is there; is it?"""
        frame = self.engine.best(request.source, request.settings.sensor)
        settings = request.settings
        if frame is None or frame.coarse or not frame.complete_for(settings):
            return False

        def work(_progress: Any) -> Spread:
            usable = frame.fitting(settings)
            developed, context = usable.developed, usable.context
            own, extent = frame.geometry(settings).output, developed.extent
            squares = spot_squares(at.spots, at.extent, own, extent, at.mapping)
            size = 0
            with suppress(OSError):  # it was removed meanwhile
                size = sum(path.stat().st_size for path in request.source.paths)
            return Spread(
                read_nodes(developed, settings, context, at.mapping, at.extent),
                read_spots(developed, settings, context, squares),
                size,
            )

        self._heavy.submit(
            ("readings", request.source.key, pane),
            work,
            lambda found: self.readings.emit(pane, request, at, found),
            self._tell(request.source),
            6,
        )
        return True

    def hold(self, key: object, asked: Held) -> None:
        """Hold what was read of pictures against one of them, and say what it means."""

        def work(_progress: Any) -> tuple[SideBySide, Verdict]:
            told = side_by_side(asked.readings, asked.reference, asked.together, asked.condition)
            if not asked.spots:
                return told, verdict([told], asked.names)
            kinds = dict.fromkeys(kind for one in asked.readings if one is not None for kind, _ in one.spots)
            over = [
                side_by_side(at_spot(asked.readings, kind), asked.reference, asked.together) for kind in kinds
            ]
            return told, verdict(over, asked.names, SPOTS)

        self._view.submit(
            ("held",),
            work,
            lambda found: self.held.emit(key, *found),
            lambda _error: None,
            2,
            let_finish=True,
        )

    def ask_size(self, source: Source, settings: Settings) -> None:
        """Find out how large the file of a proof will be, once its final form is there."""
        frame = self.engine.best(source, settings.sensor)
        if frame is None or frame.coarse or not frame.complete_for(settings):
            self.sized.emit(settings, None)
            return
        whole = frame.fitting(settings)
        self._view.submit(
            ("size",),
            lambda progress: coded_size(whole.developed, settings, whole.context, progress),
            lambda size: self.sized.emit(settings, size),
            self._tell(source),
            6,
        )
