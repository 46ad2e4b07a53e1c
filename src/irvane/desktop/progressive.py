"""Work that improves what panes show: developing, refining and removing noise, of what is seen first."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

from PySide6.QtCore import QObject, Signal

from irvane.core.errors import IrvaneError
from irvane.core.line.engine import Engine
from irvane.core.line.frame import Frame
from irvane.core.line.jobs import Work, Worker
from irvane.core.line.looks import look_of, settings_in
from irvane.core.line.source import Source
from irvane.core.line.steps import developing
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.places import Region
from irvane.core.progress import Progress
from irvane.core.settings import Sensor
from irvane.desktop.view_request import ViewRequest

#: First words of the names of work on what is shown.
_KINDS = ("coarse", "full", "mosaic", "lens", "refine", "rough", "local", "whole", "figures", "probe")


class ProgressiveRendering(QObject):
    """Asks the worker of heavy work.

    Signals
    -------
    improved(key) : a better form of the source with this key is there.
    busy(job, words, share, seconds left) : progress of long work, share 1 ends it; :meth:`concerns` tells whom it concerns, its first word
        is the stage.
    """

    improved = Signal(str)
    busy = Signal(object, str, float, float)

    def __init__(
        self,
        engine: Engine,
        heavy: Worker,
        tell: Callable[[Source], Callable[[IrvaneError], None]],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.engine, self._heavy, self._tell = engine, heavy, tell

    def begin(self, wish: ViewRequest) -> None:
        """Make the first form of a source that nothing is there of."""
        words = "merging" if len(wish.source.paths) > 1 else "reading"

        def coarse(source: Source, sensor: Sensor, progress: Progress) -> Frame:
            frame = self.engine.coarse(source, sensor, progress)
            frame.geometry(wish.settings)  # the window asks for it next; a lens is looked for here
            return frame

        self._make(("coarse", wish.source.key), words, 0, wish, coarse)

    def improve(self, pane: int, wish: ViewRequest, frame: Frame) -> None:
        """See to it that a better form follows of what a pane shows."""
        key = wish.source.key
        if frame.coarse:
            self._make(
                ("full", key, developing(wish.settings.sensor)), "developing", 2, wish, self.engine.full
            )
            return
        if (
            look_of(wish.look).raw is not None
            and frame.developed.cfa is not None
            and frame.developed.mosaic is None
        ):
            self._make(
                ("mosaic", key, developing(wish.settings.sensor)), "reading", 2, wish, self.engine.with_mosaic
            )
        if frame.to_be_measured(wish.settings):
            self._make(
                ("lens", key, developing(wish.settings.sensor)),
                "measuring the lens",
                3,
                wish,
                self.engine.measure_lens,
            )
        if frame.to_be_refined(wish.settings):
            self._refine_seen(pane, wish, frame)
            self._make(
                ("refine", key, developing(wish.settings.sensor)),
                "refining colour",
                4,
                wish,
                self.engine.refine,
            )
        if frame.denoised_for(wish.settings):
            return
        removal = frame.removal(wish.settings)
        self._denoise_seen(pane, wish, frame, removal)
        whole = ("whole", key, removal)
        if not self._heavy.has(whole):
            self._make(whole, "removing noise", 6, wish, self.engine.denoise, whole_settings=True)

    def _denoise_seen(self, pane: int, wish: ViewRequest, frame: Frame, removal: Removal) -> None:
        """What is seen is denoised before the whole frame: in a fast way first."""
        key, region = wish.source.key, wish.region
        settings = settings_in(wish.look, wish.settings)
        if frame.clean(settings, region) is not None:
            return
        near = region.step <= 1
        if frame.rough(settings, region) is None and frame.faster(settings, region):
            if near:
                make, settings_of_rough = self.engine.denoise_local, settings.with_value("noise.method", FAST)
            else:
                make, settings_of_rough = self.engine.denoise_view, settings
            self._improve_seen(
                ("rough", key, pane), (removal, frame.part(settings, region)), wish, 2,
                lambda progress: make(wish.source, settings_of_rough, region, progress),
            )  # fmt: skip
        if near:
            self._improve_seen(
                ("local", key, pane), (settings.sensor, removal, region), wish, 3,
                lambda progress: self.engine.denoise_local(wish.source, settings, region, progress),
            )  # fmt: skip

    def _improve_seen(
        self, kind: tuple[str, str, int], what: tuple[Any, ...], wish: ViewRequest, urgency: int, work: Work
    ) -> None:
        """Improve what a pane shows, before the whole; work of that kind on what it showed before is not wanted.

        What is rough and made of the same place is finished: it serves while a slider is dragged on.
        """
        job = (*kind, what)
        self._heavy.cancel(lambda other: other[:3] == kind and other != job, running=kind[0] != "rough")
        self._heavy.cancel(lambda other: other[:3] == kind and other[3][-1] != what[-1])
        if not self._heavy.has(job):
            self._heavy.submit(
                job,
                work,
                lambda _frame: self.improved.emit(wish.source.key),
                self._tell(wish.source),
                urgency,
            )

    def _refine_seen(self, pane: int, wish: ViewRequest, frame: Frame) -> None:
        """What is seen of a picture without denoising is refined before the whole."""
        if (
            wish.region.step > 1
            or frame.removal(wish.settings).strength
            or frame.refined_at(wish.settings, wish.region)
        ):
            return
        sensor = wish.settings.sensor
        self._improve_seen(
            ("local", wish.source.key, pane), (sensor, wish.region), wish, 3,
            lambda progress: self.engine.refine_local(wish.source, wish.settings, wish.region, progress),
        )  # fmt: skip

    def _make(
        self,
        job_key: tuple[Any, ...],
        words: str,
        urgency: int,
        wish: ViewRequest,
        method: Any,
        whole_settings: bool = False,
    ) -> None:
        if self._heavy.has(job_key):
            return
        key = wish.source.key
        wanted = wish.settings if whole_settings else wish.settings.sensor

        def work(progress: Any) -> Any:
            self.busy.emit(job_key, words, 0.0, 0.0)
            return method(wish.source, wanted, progress)

        def done(_frame: Frame) -> None:
            self.busy.emit(job_key, words, 1.0, 0.0)
            self.improved.emit(key)

        self._heavy.submit(
            job_key,
            work,
            done,
            self._tell(wish.source),
            urgency,
            lambda s, left: self.busy.emit(job_key, words, s, left),
        )

    def work_key(self, wish: ViewRequest) -> Hashable:
        """What the long work for a pane depends on."""
        return wish.source.key, developing(wish.settings.sensor), self._removal(wish)

    def concerns(self, job: tuple[Any, ...], wish: ViewRequest) -> bool:
        """Is a job, as `busy` names it, done for what a pane wants to show?"""
        _, key, *made_for = job
        return wish.source.key == key and all(
            one in (developing(wish.settings.sensor), self._removal(wish)) for one in made_for
        )

    def expected(self, wish: ViewRequest, extent: tuple[int, int]) -> dict[str, float | None]:
        """The stages that a pane still waits for, in their order, and the seconds each takes by what was measured here.

        Parameters
        ----------
        extent : height and width of the frame, as far as they are known.
        """
        frame = self.engine.best(wish.source, wish.settings.sensor)
        paces, count = self.engine.paces, len(wish.source.paths)
        h, w = extent if frame is None else frame.developed.extent
        size = h * w / 1e6
        stages: dict[str, float | None] = {}
        if frame is None:
            stages["coarse"] = paces.seconds("read" if count == 1 else "merge", size * count)
        if frame is None or frame.coarse:
            stages["full"] = paces.seconds("full", size)
        if frame is None:
            return stages
        plan = frame.plan(wish.settings)
        if plan.measures_lens:
            stages["lens"] = paces.seconds("lens", size)
        if plan.refines:
            stages["refine"] = paces.seconds("refine", size)
        if plan.removal.strength:
            stages["whole"] = paces.seconds(plan.removal.kind, size)
        return stages

    def keep_only(self, shown: list[ViewRequest]) -> None:
        """Stop heavy work on what is not shown any more."""
        keys = {wish.source.key for wish in shown}
        removals = {(wish.source.key, self._removal(wish)) for wish in shown}
        self._heavy.cancel(lambda key: key[0] == "whole" and (key[1], key[2]) not in removals)
        self.engine.pin(
            ((wish.source, wish.settings.sensor) for wish in shown),
            (removal for _, removal in removals if removal is not None),
            (place for wish in shown if (place := self._behind(wish)) is not None),
        )
        self._heavy.cancel(lambda key: key[0] in _KINDS and key[1] not in keys)

    def _behind(self, wish: ViewRequest) -> Region | None:
        """The part of the frame that a pane shows."""
        frame = self.engine.best(wish.source, wish.settings.sensor)
        return None if frame is None else frame.behind(wish.settings, wish.region)

    def _removal(self, wish: ViewRequest) -> Removal | None:
        frame = self.engine.best(wish.source, wish.settings.sensor)
        return None if frame is None else frame.removal(wish.settings)
