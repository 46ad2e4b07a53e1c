"""Work that improves what panes show: developing, refining and removing noise, of what is seen first."""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable
from typing import Any

from PySide6.QtCore import QObject, Signal

from irvane.core.errors import IrvaneError
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.engine import Engine
from irvane.core.line.frame import Frame
from irvane.core.line.jobs import Worker
from irvane.core.line.planner import missing
from irvane.core.line.source import Source
from irvane.core.line.steps import developing
from irvane.core.line.tasks import (
    COARSE,
    FAST_PART,
    FULL,
    LASTING,
    LENS,
    MOSAIC,
    PART,
    REFINE,
    REFINED,
    WHOLE,
    Request,
    Task,
)
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.places import FrameRegion
from irvane.core.progress import Progress, step
from irvane.core.settings import Settings
from irvane.desktop.view_request import ViewRequest

#: First words of the names of work on what is shown.
_KINDS = ("coarse", "full", "mosaic", "lens", "refine", "rough", "local", "whole", "figures", "probe")
#: What is said while work is done, and how urgent it is: what is seen first.
_WORDS = {
    COARSE: "reading",
    FULL: "developing",
    MOSAIC: "reading",
    LENS: "measuring the lens",
    REFINE: "refining colour",
    WHOLE: "removing noise",
}
_URGENCY = {COARSE: 0, FULL: 2, MOSAIC: 2, FAST_PART: 2, LENS: 3, PART: 3, REFINED: 3, REFINE: 4, WHOLE: 6}
#: Seconds until it is looked again whether what is waited for is there.
_LOOK_AGAIN = 0.05


def job_of(source: Source, task: Task) -> tuple[Any, ...]:
    """The name of lasting work among the worker's jobs."""
    return (task.kind, source.key, *task.made_for)


class ProgressiveRendering(QObject):
    """Asks the worker of heavy work.

    Signals
    -------
    improved(key) : a better form of the source with this key is there.
    busy(job, words, share, seconds left) : progress of long work, share 1 ends it; :meth:`concerns` tells
    whom it concerns, its first word
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

    def begin(self, request: ViewRequest) -> None:
        """Make the first form of a source that nothing is there of."""
        words = "merging" if len(request.source.paths) > 1 else _WORDS[COARSE]
        self._make(request, Task(COARSE, request.wanted), words)

    def improve(self, pane: int, request: ViewRequest, frame: Frame) -> None:
        """See to it that a better form follows of what a pane shows."""
        for task in missing(frame, request.wanted):
            if task.of_what_is_seen:
                self._improve_seen(pane, request, task)
            else:
                self._make(request, task, _WORDS[task.kind])

    def _improve_seen(self, pane: int, request: ViewRequest, task: Task) -> None:
        """Improve what a pane shows, before the whole; work of that kind on what it showed before is not
        wanted.

        What is rough and made of the same place is finished: it serves while a slider is dragged on.
        """
        # denoised or refined: a pane shows one of them
        kind = ("rough" if task.kind == FAST_PART else "local", request.source.key, pane)
        job = (*kind, task.made_for)
        self._heavy.cancel(lambda other: other[:3] == kind and other != job, running=task.kind != FAST_PART)
        self._heavy.cancel(lambda other: other[:3] == kind and other[3][-1] != task.made_for[-1])
        if not self._heavy.has(job):
            self._heavy.submit(
                job,
                lambda progress: self.engine.do(request.source, task, progress),
                lambda _frame: self.improved.emit(request.source.key),
                self._tell(request.source),
                _URGENCY[task.kind],
            )

    def _make(self, request: ViewRequest, task: Task, words: str) -> None:
        job = job_of(request.source, task)
        if self._heavy.has(job):
            return
        key = request.source.key

        def work(progress: Progress) -> Frame:
            self.busy.emit(job, words, 0.0, 0.0)
            frame = self.engine.do(request.source, task, progress)
            frame.geometry(request.settings)  # the window asks for it next; a lens is looked for here
            return frame

        def done(_frame: Frame) -> None:
            self.busy.emit(job, words, 1.0, 0.0)
            self.improved.emit(key)

        self._heavy.submit(
            job,
            work,
            done,
            self._tell(request.source),
            _URGENCY[task.kind],
            lambda s, left: self.busy.emit(job, words, s, left),
        )

    def awaited(
        self, source: Source, settings: Settings, progress: Progress
    ) -> tuple[Developed, Context] | None:
        """The form of a proof that is shown, waited for while it is being made; None where nothing makes it.

        What is being made for the window already is not made again to be written.

        Raises
        ------
        Cancelled
            When `progress` returns False.
        """
        # shares of the jobs that make it; when there are none any more, it is looked for once again
        known = [0.0]
        while (frame := self.engine.best(source, settings.sensor)) is not None and not frame.coarse:
            left = [task for task in missing(frame, Request(settings)) if task.kind in LASTING]
            if not left:
                return frame.fitting(settings).developed, frame.context
            if not known:
                break
            shares = [self._heavy.share(job_of(source, task)) for task in left]
            known = [share for share in shares if share is not None]
            if known:
                step(progress, max(known))
                time.sleep(_LOOK_AGAIN)
        return None

    def work_key(self, request: ViewRequest) -> Hashable:
        """What the long work for a pane depends on."""
        return request.source.key, developing(request.settings.sensor), self._removal(request)

    def concerns(self, job: tuple[Any, ...], request: ViewRequest) -> bool:
        """Is a job, as `busy` names it, done for what a pane wants to show?"""
        _, key, *made_for = job
        return request.source.key == key and all(
            one in (developing(request.settings.sensor), self._removal(request)) for one in made_for
        )

    def expected(self, request: ViewRequest, extent: tuple[int, int]) -> dict[str, float | None]:
        """The stages that a pane still waits for, in their order, and the seconds each takes by what was
        measured here.

        Parameters
        ----------
        extent : height and width of the frame, as far as they are known.
        """
        frame = self.engine.best(request.source, request.settings.sensor)
        paces, count = self.engine.paces, len(request.source.paths)
        h, w = extent if frame is None else frame.developed.extent
        size = h * w / 1e6
        stages: dict[str, float | None] = {}
        if frame is None:
            stages["coarse"] = paces.seconds("read" if count == 1 else "merge", size * count)
        if frame is None or frame.coarse:
            stages["full"] = paces.seconds("full", size)
        if frame is None:
            return stages
        plan = frame.plan(request.settings)
        if plan.measures_lens:
            stages["lens"] = paces.seconds("lens", size)
        if plan.refines:
            stages["refine"] = paces.seconds("refine", size)
        if plan.removal.strength:
            stages["whole"] = paces.seconds(plan.removal.kind, size)
        return stages

    def keep_only(self, shown: list[ViewRequest]) -> None:
        """Stop heavy work on what is not shown any more."""
        keys = {request.source.key for request in shown}
        removals = {(request.source.key, self._removal(request)) for request in shown}
        self._heavy.cancel(lambda key: key[0] == "whole" and (key[1], key[2]) not in removals)
        self.engine.pin(
            ((request.source, request.settings.sensor) for request in shown),
            (removal for _, removal in removals if removal is not None),
            (place for request in shown if (place := self._behind(request)) is not None),
        )
        self._heavy.cancel(lambda key: key[0] in _KINDS and key[1] not in keys)

    def _behind(self, request: ViewRequest) -> FrameRegion | None:
        """The part of the frame that a pane shows."""
        frame = self.engine.best(request.source, request.settings.sensor)
        return None if frame is None else frame.behind(request.settings, request.region)

    def _removal(self, request: ViewRequest) -> Removal | None:
        frame = self.engine.best(request.source, request.settings.sensor)
        return None if frame is None else frame.removal(request.settings)
