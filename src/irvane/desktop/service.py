"""Between window and core: worker threads, and signals that bring their results back to the window's
thread."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Qt, QTimer, Signal, Slot

from irvane.core import networks
from irvane.core.errors import IrvaneError
from irvane.core.files.preferences import preferences
from irvane.core.finish import job
from irvane.core.line.engine import Engine
from irvane.core.line.frame import INSTEAD, Frame
from irvane.core.line.incremental import LastView
from irvane.core.line.jobs import Worker
from irvane.core.line.looks import look_of, render_look, settings_in
from irvane.core.line.paces import Paces, stage_paces_path
from irvane.core.line.realise import DENOISED
from irvane.core.line.source import Source
from irvane.core.line.teststrip import Crop, render_crop
from irvane.core.line.view import Rendered
from irvane.core.machine_share import SHARE
from irvane.core.memory import budgets, give_large_arrays_back, trim_heap
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, part
from irvane.core.settings import Settings
from irvane.core.simulate.folder import demo_folder
from irvane.core.store.cache import LIMIT, ResultCache
from irvane.core.store.kept import STORE
from irvane.desktop.comparison import Comparison
from irvane.desktop.figures import Figures
from irvane.desktop.filework import FileWork, unexpected
from irvane.desktop.progressive import ProgressiveRendering
from irvane.desktop.view_request import ViewRequest
from irvane.warm import warm

_ANYWHERE = OutputRegion(0, 0, 1, 1)
#: Milliseconds without work after which memory goes back to the system.
_REST = 2500


class RenderService(QObject):
    """Runs everything that takes time.

    Signals
    -------
    A pane is named by its key, which it keeps wherever it stands on the bench.
    rendered(pane, request, Rendered, state) : a view is ready; its state is one of those of a frame.
    improved(key) : a better form of the source with this key is there.
    busy(job, words, share, seconds left) : progress of long work, share 1 ends it; `improving` tells whom it
    concerns. figures(pane, request, WholeFigures, exact Rendered or None), probed(pane, request, place,
    PlaceFigures or None) stripped(run, number, Rendered) : a crop of a test strip. planned(what came of it,
    or why not) : of the last plan that was asked for. sized(settings, bytes or None) : how large a proof's
    file will be. said(sentence), written(path or None, sentence), writing(share, left), demo_ready(folder)
    """

    rendered = Signal(int, object, object, str)
    improved = Signal(str)
    busy = Signal(object, str, float, float)
    figures = Signal(int, object, object, object)
    probed = Signal(int, object, object, object)
    readings = Signal(int, object, object, object)
    held = Signal(object, object, object)
    stripped = Signal(int, int, object)
    source_failed = Signal(str, str)
    said = Signal(str)
    written = Signal(object, str)
    writing = Signal(float, float)
    planned = Signal(object)
    sized = Signal(object, object)
    demo_ready = Signal(object)
    _call = Signal(object)

    def __init__(self, parent: QObject | None = None, engine: Engine | None = None) -> None:
        super().__init__(parent)
        give_large_arrays_back()
        wished = preferences()
        self._memory = None if wished.memory_gb is None else int(wished.memory_gb * 1e9)
        limit = LIMIT if wished.cache_gb is None else int(wished.cache_gb * 1e9)
        self.engine = engine or Engine(cache=ResultCache(limit=limit), paces=Paces(stage_paces_path()))
        self._share_memory()
        self._heavy = Worker("develop", unexpected, nice=6)
        self._view = Worker("view", unexpected, nice=1)
        self.comparison = Comparison(self.engine, self._view, self._tell, self)
        self.progressive = ProgressiveRendering(self.engine, self._heavy, self._tell, self)
        self.progressive.improved.connect(self.improved)
        self.progressive.busy.connect(self.busy)
        self.read = Figures(self.engine, self._heavy, self._view, self._tell, self)
        self.measure, self.probe, self.ask_size = self.read.measure, self.read.probe, self.read.ask_size
        self.read_over, self.hold = self.read.read, self.read.hold
        for mine, its in (
            (self.figures, self.read.figures),
            (self.probed, self.read.probed),
            (self.readings, self.read.readings),
            (self.held, self.read.held),
            (self.sized, self.read.sized),
        ):
            its.connect(mine)
        self._seen: dict[int, LastView] = {}
        self.files = FileWork(self)
        self.files.said.connect(self.said)
        self._writer = Worker("write", unexpected, nice=10)
        self._planner = Worker("plan", unexpected)
        self._preparing = Worker("prepare", unexpected)
        self._call.connect(self._called, Qt.ConnectionType.QueuedConnection)
        self._raw = False
        self._resting = QTimer(self, singleShot=True, interval=_REST)
        self._resting.timeout.connect(self._tidy)
        self.busy.connect(lambda *_job: self._resting.start())
        self.improved.connect(lambda _key: self._resting.start())

    @Slot(object)
    def _called(self, function: Callable[[], None]) -> None:
        function()

    def _tidy(self) -> None:
        """Nothing was computed for a while: what is kept for the next time goes back to the system."""
        if not self._heavy.idle():
            self._resting.start()
            return
        self._share_memory()
        raw = self._raw  # who looks at the mosaic wants it again

        def work(_progress: Any) -> None:
            if not raw:
                self.engine.rest()
            networks.release()
            trim_heap()

        self._heavy.submit(("tidy",), work, lambda _n: None, lambda _e: None, 9)

    def _share_memory(self) -> None:
        """Take as much memory as others that run leave: they come and go."""
        found = budgets(SHARE.take(self._memory))
        self.engine.frames.limit(found.frames, found.unseen)
        STORE.limit = found.kept

    def forget(self, source: Source) -> None:
        """A source was closed: nothing of it is computed any more, and what was made of it is given up."""

        def work(_progress: Any) -> str:
            key = ""
            with suppress(IrvaneError):
                key = source.key
                self.engine.forget(key)
            networks.release()
            trim_heap()
            return key

        self.comparison.forget()
        self._seen.clear()
        # another frame may have the same content, or it was opened again meanwhile: it is made anew
        self._heavy.submit(("forget", source), work, self.improved.emit, lambda _e: None, 9)

    def later(self, function: Callable[[], None]) -> None:
        """Call a function in the window's thread."""
        self._call.emit(function)

    def close(self) -> None:
        """End all work; what is being saved is finished first."""
        for worker in (self._preparing, self._heavy, self._view, self._writer):
            worker.close()
        self._planner.close(seconds=0.2)
        self.files.close()

    def idle(self) -> bool:
        """True when nothing is being computed, read or written."""
        workers = self._preparing, self._heavy, self._view, self.files, self._planner, self._writer
        return all(worker.idle() for worker in workers)

    # what is shown

    def show(self, pane: int, request: ViewRequest) -> None:
        """Render a view, and see to it that a better one follows; figures of what was shown before are not
        wanted."""
        self._heavy.cancel(lambda key: key[0] == "figures" and key[2] == pane)
        self._raw = self._raw_look(request)
        frame = self.engine.best(request.source, request.settings.sensor)
        if frame is None:
            self.progressive.begin(request)
            return
        self._render(pane, request, frame)
        self.progressive.improve(pane, request, frame)

    def _render(self, pane: int, request: ViewRequest, frame: Frame) -> None:
        def work(_progress: Any) -> Any:
            usable = frame.fitting(request.settings)
            clean, state = usable.stand_in(settings_in(request.look, request.settings), request.region)
            if self._raw_look(request) and usable.lacks_mosaic:
                state = INSTEAD
            last = self._seen.setdefault(pane, LastView())

            def render(region: OutputRegion) -> Rendered:
                made = render_look(
                    request.look, usable.developed, request.settings, usable.context, region, clean,
                    request.offset,
                    request.marks, last.upstream, request.space,
                )  # fmt: skip
                return request.on_medium(made)

            parts = (
                usable.developed.mosaic,
                usable.developed.plain,
                usable.developed.denoised,
                usable.context,
                clean,
            )
            what = request.source.key, replace(request, region=_ANYWHERE)
            picture = last.render(what, parts, request.region, render)
            return picture, state

        self._view.submit(
            ("view", pane),
            work,
            lambda made: self.rendered.emit(pane, request, *made),
            self._tell(request.source),
            1,
            let_finish=True,
        )

    @staticmethod
    def _raw_look(request: ViewRequest) -> bool:
        return look_of(request.look).raw is not None

    def keep_panes(self, panes: list[int]) -> None:
        """There are only these panes now: views that others showed last are given up."""
        for gone in [pane for pane in self._seen if pane not in panes]:
            self._seen.pop(gone, None)

    def renders(self, pane: int) -> bool:
        """Is a view of a pane being made?"""
        return self._view.has(("view", pane))

    def _tell(self, source: Source) -> Callable[[IrvaneError], None]:
        def tell(error: IrvaneError) -> None:
            try:
                key = source.key
            except IrvaneError:
                key = ""
            self.source_failed.emit(key, str(error))

        return tell

    def long(
        self, key: str, words: str, work: Callable[[Progress], Any], done: Callable[[Any], None]
    ) -> None:
        """Long work beside what is shown, with progress in the writing strip; `done` is called in the
        window's thread."""

        def failed(error: IrvaneError) -> None:
            self.written.emit(None, str(error))

        def finished(result: Any) -> None:
            self.written.emit(None, words)
            self.later(lambda: done(result))

        self._heavy.submit(("long", key), work, finished, failed, 8, self.writing.emit)

    def trial(self, kind: str, work: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        """Try something on small pictures, the newest of its kind alone; `done` is called in the window's
        thread, with a sentence when it fails."""

        def tell(result: Any) -> None:
            self.later(lambda: done(result))

        self._heavy.submit(("trial", kind), work, tell, lambda error: tell(str(error)), 2)

    def prepare(self, done: Callable[[], None]) -> None:
        """Compile what a first picture needs, before anything else is computed; the writing strip says how
        far it is.

        `done` is called then; everything else is compiled beside what is shown.
        """

        def failed(error: IrvaneError) -> None:
            self.written.emit(None, str(error))

        def rest(_nothing: Any) -> None:
            self.later(done)
            self._preparing.submit(
                ("rest",), lambda progress: warm(progress, niceness=10), lambda _none: None, failed
            )

        self._heavy.submit(
            ("prepare",),
            lambda progress: warm(progress, first_only=True),
            rest,
            failed,
            -1,
            self.writing.emit,
        )

    def render_strip(self, run: int, number: int, request: ViewRequest) -> None:
        """Render one crop of a test strip, roughly first where that is sooner; those of earlier runs are not
        wanted any more."""
        self._heavy.cancel(lambda key: key[0] == "strip" and key[1] != run)
        self._crop(run, number, request, True)

    def _crop(self, run: int, number: int, request: ViewRequest, at_once: bool) -> None:
        def done(made: Crop) -> None:
            self.stripped.emit(run, number, made)
            if not made.exact:
                self._crop(run, number, request, False)

        self._heavy.submit(
            ("strip", run, number, at_once),
            lambda progress: render_crop(
                self.engine, request.source, request.settings, request.region, request.look, progress, at_once
            ),
            done,
            self._tell(request.source),
            1 if at_once else 3,
        )

    def leave_strip(self) -> None:
        """Crops of test strips are not wanted any more."""
        self._heavy.cancel(lambda key: key[0] == "strip")

    # writing

    def plan(self, look: Callable[[], Any]) -> None:
        """Look at a folder that may never answer; `planned` tells."""
        self._planner.submit(("plan",), lambda _p: look(), self.planned.emit, self.planned.emit)

    def forget_plans(self) -> None:
        """Nobody waits any more for the folder that does not answer; the next plan has a thread of its
        own."""
        self._planner.close(seconds=0)
        self._planner = Worker("plan", unexpected)

    def write(self, source: Source, settings: Settings, target: job.Target) -> None:
        """Write a proof to a file."""

        def work(progress: Progress) -> job.Written:
            job.check_target(target.path, target.overwrite, source.paths)
            ready = self.progressive.awaited(source, settings, part(progress, 0.0, DENOISED))
            return job.run(source, settings, target, progress, ready)

        def failed(error: IrvaneError) -> None:
            self.written.emit(None, str(error))

        def done(result: job.Written) -> None:
            self.written.emit(result.path, f"Written: {result.path}")

        self._writer.submit(
            ("write",),
            work,
            done,
            failed,
            5,
            self.writing.emit,
        )

    def make_demo(self) -> None:
        """Make the demo pictures in the user's data folder."""
        from irvane.core.simulate.demo import make_demo  # the scenes are loaded when one is drawn

        folder = demo_folder()

        def failed(error: IrvaneError) -> None:
            self.written.emit(None, str(error))

        def done(_paths: object) -> None:
            self.written.emit(None, "")
            self.demo_ready.emit(folder)

        self._writer.submit(
            ("demo",),
            lambda progress: make_demo(folder, progress=lambda share, _what: progress(share)),
            done,
            failed,
            5,
            self.writing.emit,
        )

    def cancel_writing(self) -> None:
        """Stop writing; nothing is left behind."""
        self._writer.cancel(lambda _key: True)
        self._heavy.cancel(lambda key: key[0] in ("long", "prepare"))
        self.written.emit(None, "Cancelled; nothing was left behind.")
