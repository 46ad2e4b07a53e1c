"""The shelf: the controls of the chosen station, in columns by what they physically do, with a plot at the
end."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from irvane.core.groups import (
    COLOUR_ERRORS,
    FOCUS,
    PROFILE,
    UPRIGHT,
    WHITE_BALANCE,
    WHOLE,
)
from irvane.core.line.frame import Frame
from irvane.core.line.paces import Paces
from irvane.core.regions.region import ALLOWED
from irvane.core.settings import STATIONS, Settings
from irvane.desktop import theme
from irvane.desktop.bench.content import Content
from irvane.desktop.line.acutance_words import acutance_text
from irvane.desktop.line.controls import NumberRow, PointsRow
from irvane.desktop.line.head import StationHead
from irvane.desktop.line.lens_words import lens_text
from irvane.desktop.line.likely import LikelyButton, candidates
from irvane.desktop.line.names import CropRow, NameRow
from irvane.desktop.line.page import FOLDER, GRADE, QUEUE, StationPage
from irvane.desktop.line.plots import Plot
from irvane.desktop.line.rests import BARE_RESTS, why_rests, why_shared
from irvane.desktop.line.trail import TrailRow
from irvane.desktop.line.words import (
    automatic_values,
    diagnosis,
    finished_noise_text,
    noise_left,
    pace_text,
    sensor_text,
    sigma_text,
)
from irvane.desktop.plain import on_button
from irvane.desktop.sideways import Sideways
from irvane.desktop.view_request import Owner

HEIGHT = 218
_UNTOUCHED = Settings()
#: In a low window.
_LOW = 196


class Shelf(QWidget):
    """Controls of the chosen station for the chosen pane's proof.

    Signals
    -------
    changed(path, value) : a setting was moved or typed. set_back(path) : it is to be as at first. strip(path)
    : its test strip is asked for. curve(path) : a curve is to be drawn. held(path, on) : its slider was taken
    hold of, or let go. grade(name) : a quick grade of noise removal. try_grades : all of them are to be seen
    side by side. pick_grey, write, choose_folder : the buttons of the stations Colour and Finish.
    """

    changed = Signal(str, object)
    set_back = Signal(str)
    strip = Signal(str)
    curve = Signal(str)
    held = Signal(str, bool)
    pick_grey = Signal(bool)
    as_shot = Signal()
    grey_of_frame = Signal()
    suggest_light = Signal()
    grade = Signal(str)
    try_grades = Signal()
    write = Signal()
    choose_folder = Signal()
    choose_lens = Signal()
    queue_it = Signal()
    choose_destination = Signal()
    frame_it = Signal()
    level = Signal()
    pick_fringe = Signal()
    draw_path = Signal()
    measure_lens = Signal()
    station_back = Signal(str)
    said = Signal(str)
    explain = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(HEIGHT)
        self.stations: dict[str, StationPage] = {}
        self._stack = QStackedWidget()
        for station in STATIONS:
            page = StationPage(station)
            for path, row in page.rows.items():
                row.changed.connect(lambda value, p=path: self.changed.emit(p, value))
                row.set_back.connect(lambda p=path: self.set_back.emit(p))
                row.explain.connect(lambda p=path: self.explain.emit(p))
                if isinstance(row, PointsRow):
                    row.opened.connect(lambda p=path: self.curve.emit(p))
                elif isinstance(row, NameRow):
                    row.opened.connect(self.choose_lens)
                elif isinstance(row, TrailRow):
                    row.opened.connect(self.draw_path)
                elif isinstance(row, CropRow):
                    row.opened.connect(self.frame_it)
                else:
                    row.strip.connect(lambda p=path: self.strip.emit(p))
                if isinstance(row, NumberRow):
                    row.held.connect(lambda on, p=path: self.held.emit(p, on))
                    if row.coarse:
                        row.held.connect(self._offer_fine)
            self.stations[station] = page
            self._stack.addWidget(Sideways(page, strip=False))
        self._colour_buttons()
        self.sensor_words = self._words("sensor")
        self.noise_words = self._words("noise")
        self.acutance_words = self._words("acutance")
        self._grade_buttons()
        self.suggest_button = QPushButton("Suggest")
        self.suggest_button.setToolTip(
            "A starting point for exposure, shadows and highlights, from how this frame's light is spread "
            "(L)."
        )
        self.suggest_button.clicked.connect(self.suggest_light)
        self.stations["light"].add(WHOLE, self.suggest_button)
        self._finish_buttons()
        self._lens_buttons()
        self._queue_buttons()
        for page in self.stations.values():
            page.finish()
        self.plot = Plot()
        #: What the figures in the plot are of.
        self.plot_of: Owner | None = None
        self.rests = QLabel(
            BARE_RESTS,
            self,
        )
        self.rests.setObjectName("rests")
        self.rests.setStyleSheet(f"#rests {{ background: {theme.PANEL.name()}; padding: 4px 8px; }}")
        self.rests.hide()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._stack, 1)
        self.head = StationHead()
        self.strip_button, self.untouched_button, self.more_button = self.head.buttons
        self.strip_button.clicked.connect(lambda: self.strip.emit(self.setting_in_hand()))
        self.untouched_button.clicked.connect(lambda: self.station_back.emit(self._station))
        self.more_button.clicked.connect(self._unfold)
        end = QVBoxLayout()
        end.setContentsMargins(0, 4, 0, 0)
        end.setSpacing(0)
        end.addWidget(self.head)
        end.addWidget(self.plot, 1)
        layout.addLayout(end)
        self._station: str = "light"
        self._last = ""
        self._offered = False
        self.paces = Paces()
        self.changed.connect(self._remember)

    def _unfold(self, on: bool) -> None:
        self.stations[self._station].unfold(on)
        self.head.tell_folded(self.stations[self._station])

    def set_low(self, on: bool) -> None:
        """With less height, in a low window; what does not fit then is scrolled to."""
        self.setFixedHeight(_LOW if on else HEIGHT)
        for page in self.stations.values():
            page.set_low(on)

    def _colour_buttons(self) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        self.pick_button = QPushButton("Pick a grey spot")
        self.pick_button.setCheckable(True)
        self.pick_button.setToolTip(
            "Click on something that should be neutral; its average becomes grey (G)."
        )
        self.pick_button.clicked.connect(self.pick_grey)
        as_shot = QPushButton("As shot")
        as_shot.setToolTip("The white balance that the camera noted.")
        as_shot.clicked.connect(self.as_shot)
        row.addWidget(self.pick_button)
        row.addWidget(as_shot)
        measured = QPushButton("Measured")
        measured.setToolTip("The colours of the whole frame together are taken for grey (shades of grey).")
        measured.clicked.connect(self.grey_of_frame)
        self.measured_button = measured
        row.addWidget(measured)
        row.addStretch(1)
        self.stations["colour"].add(WHITE_BALANCE, holder)

    def _words(self, station: str) -> QLabel:
        label = self.stations[station].words
        label.show()
        return label

    def _grade_buttons(self) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.grade_buttons: dict[str, QPushButton] = {}
        for words, tip in (
            ("gentle", "Some grain and all texture stay: for prints and natural skin."),
            ("even", "What was measured, removed as a whole: as a new proof has it."),
            ("firm", "More than what was measured, everywhere: for extreme sensitivities."),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked=False, g=words: self.grade.emit(g))
            self.grade_buttons[words] = button
            row.addWidget(button)
        self.stations["noise"].add(GRADE, holder)
        beside = QPushButton("Side by side")
        beside.setToolTip("The same crop in every grade; click on the one you want.")
        beside.clicked.connect(self.try_grades)
        self.grade_buttons["side by side"] = beside
        self.stations["noise"].add(GRADE, beside)

    def _lens_buttons(self) -> None:
        self.lens_words = self._words("lens")
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        self.level_button = QPushButton("Level it")
        self.level_button.setToolTip("By the contours of the picture; it says how sure it is.")
        self.level_button.clicked.connect(self.level)
        lines = QPushButton("By lines …")
        lines.setToolTip("Draw along what should be level, upright or straight.")
        lines.clicked.connect(self.frame_it)
        row.addWidget(self.level_button)
        row.addWidget(lines)
        self.stations["lens"].add(UPRIGHT, holder)
        self.likely = LikelyButton()
        self.stations["lens"].add(PROFILE, self.likely)
        own = QPushButton("Measure the lens")
        own.setToolTip(
            "From the edges of the selected frames: σ in the middle and in the corners. New proofs of frames "
            "with this lens, focal length and aperture begin with it."
        )
        own.clicked.connect(self.measure_lens)
        self.stations["acutance"].add(FOCUS, own, False)
        pick = QPushButton("Pick a fringe")
        pick.setToolTip("Click on a coloured fringe: its hue is the one that is taken away.")
        pick.clicked.connect(self.pick_fringe)
        self.stations["lens"].add(COLOUR_ERRORS, pick)

    def _finish_buttons(self) -> None:
        page = self.stations["finish"]
        self.folder = QPushButton("…")
        self.folder.setToolTip("The folder that files are written into. Click to choose another.")
        self.folder.clicked.connect(self.choose_folder)
        self.write_button = QPushButton("Write this proof")
        self.write_button.setToolTip(
            "Writes the chosen pane's proof as a file (Ctrl+Return). Nothing is overwritten unasked."
        )
        self.write_button.clicked.connect(self.write)
        page.add(FOLDER, self.folder)
        page.add(FOLDER, self.write_button)
        self.size_words = QLabel()
        self.size_words.setObjectName("muted")
        self.size_words.setToolTip("Of a JPEG: from parts of the picture that were coded on trial.")
        page.add(FOLDER, self.size_words)

    def _queue_buttons(self) -> None:
        page = self.stations["finish"]
        self.destination = QPushButton("…")
        self.destination.setToolTip(
            "Where the queue writes to, and how. Click to choose or change it (Ctrl+Shift+K)."
        )
        self.destination.clicked.connect(self.choose_destination)
        into = QPushButton("Into the queue")
        into.setToolTip(
            "The selected frames, each with its present proof; editing goes on meanwhile (Ctrl+Shift+Return)."
        )
        into.clicked.connect(self.queue_it)
        page.add(QUEUE, self.destination)
        page.add(QUEUE, into)

    def show_destination(self, words: str) -> None:
        """Say where the queue writes to."""
        self.destination.setText(on_button(words))

    def show_size(self, size: int | None) -> None:
        """Say how large the file will be, where that is known."""
        megabytes = 0.0 if size is None else size / 1e6
        self.size_words.setText(
            "" if size is None else f"about {megabytes:.{0 if megabytes >= 20 else 1}f} MB"
        )

    def resizeEvent(self, _event: object) -> None:  # noqa: N802
        self.rests.adjustSize()
        self.rests.move(10, self.height() - self.rests.height() - 8)
        self.rests.raise_()

    def _offer_fine(self, on: bool) -> None:
        """The first time that a coarse slider was dragged: there are finer ways."""
        if not on and not self._offered:
            self._offered = True
            self.said.emit(
                "Finer: drag with Shift or with the right button, turn the wheel, or click on the value and "
                "type."
            )

    def _remember(self, path: str, _value: object) -> None:
        self._last = path

    def open(self, station: str) -> None:
        """Show the controls of a station."""
        self._station = station
        self._stack.setCurrentIndex(STATIONS.index(station))
        self.head.tell_folded(self.stations[self._station])

    def setting_in_hand(self) -> str:
        """The setting whose row has the focus, or else the last one changed of the open station, or its
        first."""
        focus = QApplication.focusWidget()
        rows = self.stations[self._station].rows
        for path, row in rows.items():
            if focus is not None and (focus is row or row.isAncestorOf(focus)):
                return path
        return self._last if self._last in rows else next(iter(rows))

    def show_proof(
        self, settings: Settings | None, frame: Frame | None, content: Content, editable: bool,
        differs: frozenset[str] | None = None,
    ) -> None:  # fmt: skip
        """Fill in the values of a proof; `differs`: of a region, what it changes (None: it is the whole
        frame)."""
        self.rests.setVisible(settings is not None and not editable and self._station != "finish")
        self.plot_of = content.whole_of if settings is not None else None
        if settings is None:
            self.plot.show_histogram(None, "")
            return
        automatic = automatic_values(frame, settings)
        page = self.stations[self._station]
        for path, row in page.rows.items():
            row.show_value(settings.get(path), automatic.get(path))  # type: ignore[arg-type]
            shared = differs is not None and path not in ALLOWED
            bare = self._station != "finish" and not editable
            row.rest(BARE_RESTS if bare else why_shared(path) if shared else why_rests(path, settings))
            touched = settings.get(path) != _UNTOUCHED.get(path)
            row.mark(touched if differs is None else path in differs, differs is not None)
        page.fold(settings, _UNTOUCHED)
        self.head.tell_folded(self.stations[self._station])
        touched = any(settings.get(path) != _UNTOUCHED.get(path) for path in page.rows)
        self.head.tell_touched(touched, editable)
        self.write_button.setEnabled(frame is not None)
        noise = frame.developed.noise if frame is not None else None
        if self._station == "noise" and frame is not None and noise is not None:
            self.plot.show_noise(noise, noise_left(settings, frame))
            found = diagnosis(frame)
            self.noise_words.setText(
                f"{found.findings[0]} {sigma_text(frame)} of clipping. "
                f"{found.measures[0]}{pace_text(self.paces, frame)}"
            )
        elif self._station == "lens" and frame is not None:
            self.lens_words.setText(lens_text(settings, frame))
            self.likely.offer(candidates(settings, frame) if editable else ())
            self.plot.show_histogram(content.whole.histogram if content.whole is not None else None, "")
        elif self._station == "acutance" and frame is not None:
            self.acutance_words.setText(acutance_text(settings, frame))
            self.plot.show_histogram(content.whole.histogram if content.whole is not None else None, "")
        elif self._station == "sensor" and frame is not None:
            self.sensor_words.setText(sensor_text(settings, frame))
            if frame.exposure is not None:
                self.plot.show_sensor(frame.exposure)
            else:
                self.plot.show_histogram(None, "developing …" if frame.coarse else "no mosaic")
        else:
            self.noise_words.setText(finished_noise_text(frame))
            waits = content.state in ("noisy", "rough")
            instead = "" if content.problem else "measured once noise is removed" if waits else "measuring …"
            self.plot.show_histogram(content.whole.histogram if content.whole is not None else None, instead)
