"""Reports and ladders from the window: what the panes show, or a series of exposures, measured and kept."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from irvane.core.files.collecting import collect
from irvane.core.files.formats import OPENABLE
from irvane.core.files.preferences import preferences
from irvane.core.judge.chart import ChartPatch, NoChartError
from irvane.core.judge.comparing import Entry, compare_entries
from irvane.core.judge.ladder import CameraLadder, frame_to_mark, read_ladder
from irvane.core.judge.report import Report, comparison_report
from irvane.core.line.tasks import Request
from irvane.core.line.view import Rendered
from irvane.core.progress import Progress, part
from irvane.core.simulate.folder import LADDER_FOLDER, demo_folder
from irvane.desktop.bench.bench import Bench
from irvane.desktop.chart import ChartDialog
from irvane.desktop.pdf import write_pdf
from irvane.desktop.service import RenderService
from irvane.desktop.view_request import ViewRequest

if TYPE_CHECKING:
    from irvane.desktop.ladder import LadderWindow
from irvane.desktop.writing.strip import WritingStrip


class Reporting(QObject):
    """The commands.

    Signals
    -------
    said(sentence), reported(folder) : a report was written. measured(ladders). shown_asked(paths) : frames of
    a ladder are to be looked at, side by side at equal brightness.
    """

    shown_asked = Signal(object)

    said = Signal(str)
    reported = Signal(object)
    measured = Signal(object)

    def __init__(self, service: RenderService, bench: Bench, strip: WritingStrip, parent: QWidget) -> None:
        super().__init__(parent)
        self.service, self.bench, self.strip = service, bench, strip
        self._window = parent
        self.ladder_window: LadderWindow | None = None
        self.chart_dialog: ChartDialog | None = None

    def ask_report(self) -> None:
        """Ask for a folder and write a report of what the panes show."""
        name = QFileDialog.getExistingDirectory(
            self._window, "Write the report into this folder", self._here()
        )
        if name:
            self.report(Path(name))

    def _here(self) -> str:
        """The folder of the frame that is chosen: where dialogs begin."""
        item = self.bench.item(self.bench.chosen)
        return "" if item is None else str(item.path.parent)

    def report(self, folder: Path) -> None:
        """Compare what the panes show, and keep it as page, PDF and tables."""
        shown: list[tuple[str, ViewRequest]] = []
        for pane in range(self.bench.count):
            request, item = self.bench.controller.request_of(pane), self.bench.item(pane)
            if request is not None and item is not None:
                name = f"{item.source.name} “{item.proof_name(self.bench.contents[pane].proof)}”"
                shown.append((name, request))
        if len(shown) < 2:
            self.said.emit("A report compares at least two panes.")
            return
        if self.strip.taken(self.said.emit):
            return
        infos = [
            item.info
            for k in range(self.bench.count)
            if self.bench.controller.request_of(k) is not None and (item := self.bench.item(k)) is not None
        ]

        under = preferences().range_under

        def work(progress: Progress) -> Path:
            entries = []
            for k, (name, request) in enumerate(shown):
                share = part(progress, 0.7 * k / len(shown), 0.7 * (k + 1) / len(shown))
                frame = self.service.engine.complete(request.source, Request(request.settings), share)
                size = sum(path.stat().st_size for path in request.source.paths if path.exists())
                entries.append(
                    Entry(
                        name,
                        frame.developed,
                        frame.context,
                        request.settings,
                        infos[k],
                        size,
                        request.source.key,
                    )
                )
            report = comparison_report(compare_entries(entries, None, part(progress, 0.7, 0.95), under))
            return _written(report, folder)

        self.strip.begin("Writing the report")
        self.service.long("report", f"The report is in {folder}.", work, self.reported.emit)

    def ask_ladder(self, selected: list[Path]) -> None:
        """Measure the frames that are selected as a ladder; of fewer than two, ask for some."""
        if len(selected) > 1:
            self.ladder(selected)
            return
        endings = " ".join(f"*{e} *{e.upper()}" for e in sorted(OPENABLE))
        start = demo_folder() / LADDER_FOLDER
        names, _ = QFileDialog.getOpenFileNames(
            self._window, "Frames of one scene in steps of exposure, of one camera or several",
            self._here() or (str(start) if start.exists() else ""), f"Pictures ({endings});;All files (*)",
        )  # fmt: skip
        if names:
            self.ladder([Path(name) for name in names])

    def ladder(self, paths: list[Path], patches: list[ChartPatch] | None = None) -> None:
        """Measure a ladder and show it in a window of its own; where no chart is found, ask for it to be
        marked."""
        files, problems = collect(paths)
        if problems:
            self.said.emit(problems[0])
        if len(files) < 2:
            self.said.emit("A ladder needs at least two frames.")
            return
        if self.strip.taken(self.said.emit):
            return

        def work(progress: Progress) -> list[CameraLadder] | None:
            try:
                return read_ladder(files, progress=progress, patches=patches)
            except NoChartError:
                return None

        self.strip.begin("Measuring the ladder")
        self.service.long("ladder", "", work, lambda found: self._show_ladder(files, found))

    def mark_chart(self, paths: list[Path], known: list[ChartPatch]) -> None:
        """Have the chart of a ladder marked by hand, and measure it."""
        if self.strip.taken(self.said.emit):
            return
        self.strip.begin("Opening a frame")
        self.service.long(
            "mark", "", lambda _progress: frame_to_mark(paths), lambda made: self._mark(paths, known, made)
        )

    def _mark(self, paths: list[Path], known: list[ChartPatch], rendered: Rendered) -> None:
        self.chart_dialog = dialog = ChartDialog(rendered, known, self._window)
        dialog.accepted.connect(lambda: self.ladder(paths, dialog.patches))
        dialog.open()

    def _show_ladder(self, paths: list[Path], ladders: list[CameraLadder] | None) -> None:
        if ladders is None:
            self.said.emit("No chart of patches was found: mark it by hand.")
            self.mark_chart(paths, [])
            return
        if self.ladder_window is not None:
            self.ladder_window.close()
        from irvane.desktop.ladder import LadderWindow  # its plots are loaded when one is looked at

        self.ladder_window = LadderWindow(ladders, self._window)
        self.ladder_window.mark_asked.connect(lambda known: self.mark_chart(paths, known))
        self.ladder_window.report_asked.connect(self._keep_ladder)
        self.ladder_window.shown_asked.connect(self.shown_asked)
        self.ladder_window.show()
        self.measured.emit(ladders)

    def _keep_ladder(self, report: Report) -> None:
        name = QFileDialog.getExistingDirectory(
            self._window, "Write the report into this folder", self._here()
        )
        if name:
            self.keep(report, Path(name))

    def keep(self, report: Report, folder: Path) -> None:
        """Write a report that is there already."""
        if self.strip.taken(self.said.emit):
            return
        self.strip.begin("Writing the report")
        self.service.long(
            "report",
            f"The report is in {folder}.",
            lambda _progress: _written(report, folder),
            self.reported.emit,
        )


def _written(report: Report, folder: Path) -> Path:
    write_pdf(report, report.write(folder)[0])
    return folder
