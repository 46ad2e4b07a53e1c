"""The window of a ladder: verdict at a limit that can be moved, noise over exposure, and the same crop of
every frame."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from irvane.core.judge.ladder import CameraLadder, Rung
from irvane.core.judge.ladder_report import cast_words, ladder_report, snr_by_colour
from irvane.core.judge.usable import USUAL_LIMIT, compare
from irvane.desktop import theme
from irvane.desktop.bench.content import image_of
from irvane.desktop.linechart import LineChart
from irvane.desktop.numbers import NumberField

_LINES = ("#6cc4b0", "#e0a04a", "#8aa3d6", "#d98a80", "#b9b9b9", "#8fc08a")
_ALONG = "exposure, stops"
#: Crops whose SNR lies below the limit are framed in this colour.
_BELOW = "#8a5a3c"


def _button(words: str, tip: str, act: Callable[[], object]) -> QPushButton:
    button = QPushButton(words)
    button.setToolTip(tip)
    button.clicked.connect(lambda: act())
    return button


def _metered(ladder: CameraLadder) -> Rung:
    """The frame at 0 EV."""
    return min(ladder.rungs, key=lambda rung: abs(rung.stop))


class LadderWindow(QDialog):
    """Ladders of one or several cameras.

    Signals
    -------
    report_asked(Report), mark_asked(patches) : mark the chart by hand, beginning with these.
    shown_asked(paths) : look at these frames side by side at equal brightness.
    """

    shown_asked = Signal(object)
    report_asked = Signal(object)
    mark_asked = Signal(object)

    def __init__(self, ladders: list[CameraLadder], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Ladder: " + ", ".join(ladder.name for ladder in ladders))
        self.setModal(False)
        self.resize(1180, 740)
        self.ladders = ladders
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setAccessibleName("Verdict")
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.limit = NumberField()
        self.limit.setRange(0, 60)
        self.limit.setDecimals(1)
        self.limit.setSingleStep(1)
        self.limit.setSuffix(" dB")
        self.limit.setValue(USUAL_LIMIT)
        self.limit.setAccessibleName("Signal-to-noise ratio that is still usable, in dB")
        self.limit.setToolTip(
            "The mean SNR of the patches down to which you would use a frame. 20 dB is 10 : 1; look at the "
            "crops, and move it here or by dragging its line."
        )
        self.limit.valueChanged.connect(self._show)
        keep = _button(
            "Write a report …", "Crops, plots and figures as page, PDF, CSV and JSON.",
            lambda: self.report_asked.emit(ladder_report(self.ladders, self.limit.value())),
        )  # fmt: skip
        mark = _button(
            "Mark the chart …",
            "Say by hand where the patches are (for all cameras alike), and measure them again.",
            lambda: self.mark_asked.emit(list(self.ladders[0].patches)),
        )
        push = _button(
            "Look at the push",
            "The frame at 0 EV beside the darkest one that is still usable, in panes at equal brightness: "
            "what so many stops of push cost.",
            lambda: self.shown_asked.emit(self.pushed()),
        )
        room = _button(
            "Look at the headroom",
            "The frame at 0 EV beside the brightest one that is not clipped in its chart, at equal "
            "brightness: how far above the metered light something is left.",
            lambda: self.shown_asked.emit(self.headroom()),
        )
        top = QHBoxLayout()
        top.addWidget(self.words, 1)
        for button in (push, room):
            top.addWidget(button)
        top.addWidget(QLabel("Usable down to"))
        top.addWidget(self.limit)
        top.addWidget(mark)
        top.addWidget(keep)
        self.tabs = QTabWidget()
        self.tabs.addTab(self._plots(), "Noise")
        self.frames: dict[tuple[int, int], QLabel] = {}
        self.tabs.addTab(self._crops(), "Crops")
        self.tabs.addTab(self._table(), "Figures")
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addWidget(self.tabs, 1)
        self._show()

    def pushed(self) -> list[Path]:
        """Of each camera the frame at 0 EV and the darkest one above the limit."""
        found = []
        for ladder in self.ladders:
            usable = [rung for rung in ladder.rungs if rung.mean_snr >= self.limit.value()]
            darkest = min(usable or list(ladder.rungs), key=lambda rung: rung.stop)
            found += [_metered(ladder).path, darkest.path]
        return found

    def headroom(self) -> list[Path]:
        """Of each camera the frame at 0 EV and the brightest one of which no patch is clipped."""
        found = []
        for ladder in self.ladders:
            whole = [rung for rung in ladder.rungs if not rung.clipped.any()]
            brightest = max(whole or list(ladder.rungs), key=lambda rung: rung.stop)
            found += [_metered(ladder).path, brightest.path]
        return found

    def _plots(self) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        self.noise = LineChart("mean SNR of the patches, dB", _ALONG)
        self.noise.set_level(USUAL_LIMIT)
        self.noise.level_moved.connect(self.limit.setValue)
        self.cast = LineChart("colour cast, EV", _ALONG)
        for k, ladder in enumerate(self.ladders):
            stops = [rung.stop for rung in ladder.rungs]
            colour = _LINES[k % len(_LINES)]
            self.noise.add(ladder.name, stops, [rung.mean_snr for rung in ladder.rungs], colour, k)
            self.cast.add(ladder.name, stops, [rung.cast for rung in ladder.rungs], colour, k)
        row.addWidget(self.noise)
        row.addWidget(self.cast)
        if len(self.ladders) > 1:
            self.versus = LineChart(f"{self.ladders[0].name} − {self.ladders[1].name}, dB", _ALONG)
            found = compare(self.ladders[0], self.ladders[1])
            stops = [one.stop for one in found]
            self.versus.fill(stops, [one.low for one in found], [one.high for one in found], theme.ACCENT)
            self.versus.add("", stops, [one.difference for one in found], theme.ACCENT)
            self.versus.across = 1.0
            row.addWidget(self.versus)
        return holder

    def _crops(self) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        stops = sorted({round(rung.stated) for ladder in self.ladders for rung in ladder.rungs}, reverse=True)
        for column, ladder in enumerate(self.ladders):
            grid.addWidget(QLabel(ladder.name), 0, column + 1)
            for rung in ladder.rungs:
                row = stops.index(round(rung.stated)) + 1
                label = QLabel()
                label.setPixmap(QPixmap.fromImage(image_of(rung.crop)))
                words = f"{rung.path.name}: {rung.stop:+.2f} EV, SNR {rung.mean_snr:.1f} dB"
                words = words.replace("-", "−")
                label.setToolTip(words)
                label.setAccessibleName(words)
                grid.addWidget(label, row, column + 1)
                self.frames[column, ladder.rungs.index(rung)] = label
        for row, stop in enumerate(stops, 1):
            grid.addWidget(QLabel(f"{stop:+d} EV".replace("-", "−") if stop else "0 EV"), row, 0)
        grid.setColumnStretch(len(self.ladders) + 1, 1)
        area = QScrollArea()
        area.setWidget(holder)
        return area

    def _table(self) -> QTableWidget:
        head = ["camera", "frame", "stop", "SNR dB", "red", "green", "blue", "cast EV", "ΔE2000", "clipped"]
        rungs = [(ladder, rung) for ladder in self.ladders for rung in ladder.rungs]
        table = QTableWidget(len(rungs), len(head))
        table.setHorizontalHeaderLabels(head)
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        table.setAccessibleName("Figures of every frame")
        for row, (ladder, rung) in enumerate(rungs):
            red, green, blue = snr_by_colour(rung)
            cells = [ladder.name, rung.path.name, f"{rung.stop:+.2f}", f"{rung.mean_snr:.1f}", f"{red:.1f}",
                f"{green:.1f}",
                     f"{blue:.1f}", cast_words(rung), f"{rung.error.mean():.2f}",
                     f"{int(rung.clipped.sum())}"]  # fmt: skip
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text.replace("-", "−") if column > 1 else text)
                if column > 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                table.setItem(row, column, item)
        table.resizeColumnsToContents()
        return table

    def _show(self) -> None:
        """Verdict, line and frames at the limit in force."""
        limit = self.limit.value()
        self.words.setText("\n".join(ladder_report(self.ladders, limit).summary))
        self.noise.set_level(limit)
        for (column, number), label in self.frames.items():
            below = self.ladders[column].rungs[number].mean_snr < limit
            label.setStyleSheet(f"border: 3px solid {_BELOW if below else theme.PANEL.name()};")
