"""The line: the seven stations as one continuous band; each says in a word or a figure what it is doing."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from irvane.core.settings import STATIONS
from irvane.desktop import theme

TITLES = {station: station.capitalize() for station in STATIONS}
HELP = {
    "sensor": "From the filter mosaic to linear colour: interpolation, hot pixels, clipped colours.",
    "lens": "Errors of the lens: light lost in the corners.",
    "noise": "Noise, measured in this frame and removed before the mosaic becomes a picture.",
    "light": "Brightness from the deepest shadow to the brightest light.",
    "colour": "White balance and strength of colours.",
    "acutance": "Sharpening by scale, held back by noise and by its own edges.",
    "finish": "What is written: space, format, folder.",
}
HEIGHT, LOW = 46, 40


class Band(QWidget):
    """Paints the stations; a click or the keys 1 to 7 open one, again closes it.

    Signals
    -------
    chosen(station) : station's key, or empty when the shelf is to close.
    menu_wanted(station, place) : the right button on a station.
    """

    chosen = Signal(str)
    menu_wanted = Signal(str, QPoint)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.station = ""
        self._focus = 0
        self._words = dict.fromkeys(STATIONS, "")
        #: What its words are of: an item's number and settings; None: of nothing.
        self.of: object = None
        self._hover = -1
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("The line: seven stations")

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(700, self.height())

    def set_low(self, on: bool) -> None:
        """With less height, in a low window."""
        self.setFixedHeight(LOW if on else HEIGHT)

    def set_words(self, words: dict[str, str], of: object = None) -> None:
        """What each station is doing, in the proof `of` (an item's number and settings)."""
        self.of = of
        if words.items() <= self._words.items():
            return
        self._words.update(words)
        self.setAccessibleDescription("; ".join(f"{TITLES[s]}: {w}" for s, w in self._words.items()))
        self.update()

    def words(self, station: str) -> str:
        """What a station says."""
        return self._words[station]

    def toggle(self, station: str) -> None:
        """Open a station, or close it when it is open."""
        self.station = "" if station == self.station else station
        self.update()
        self.chosen.emit(self.station)

    def place(self, number: int) -> QRectF:
        """Where a station stands."""
        width = self.width() / len(STATIONS)
        return QRectF(number * width, 0, width, self.height())

    def _at(self, x: float) -> int:
        return min(max(int(x * len(STATIONS) / max(self.width(), 1)), 0), len(STATIONS) - 1)

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.WELL)
        painter.setPen(QPen(theme.RAISED, 2))
        painter.drawLine(0, 5, self.width(), 5)
        for number, station in enumerate(STATIONS):
            rect = self.place(number)
            open_ = station == self.station
            if open_:
                painter.fillRect(rect, theme.PANEL)
                painter.setPen(QPen(theme.ACCENT, 2))
                painter.drawLine(int(rect.left()), 5, int(rect.right()), 5)
            elif number == self._hover:
                painter.fillRect(rect.adjusted(0, 7, 0, 0), theme.PANEL)
            inner = rect.adjusted(12, 10 if self.height() >= HEIGHT else 7, -6, -3)
            painter.setPen(theme.ACCENT if open_ else theme.TEXT)
            painter.setFont(theme.font(12, bold=True))
            painter.drawText(inner, Qt.AlignmentFlag.AlignTop, TITLES[station])
            painter.setPen(theme.MUTED)
            painter.setFont(theme.font(11))
            words = painter.fontMetrics().elidedText(
                self._words[station], Qt.TextElideMode.ElideRight, int(inner.width())
            )
            painter.drawText(inner, Qt.AlignmentFlag.AlignBottom, words)
            if self.hasFocus() and number == self._focus:
                painter.setPen(QPen(theme.ACCENT, 1))
                painter.drawRect(rect.adjusted(1, 8, -2, -2))
        painter.end()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        by_mouse = event.reason() == QContextMenuEvent.Reason.Mouse
        number = self._at(event.pos().x()) if by_mouse else self._focus
        self.menu_wanted.emit(STATIONS[number], event.globalPos())

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._focus = self._at(event.position().x())
        self.toggle(STATIONS[self._focus])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._hover = self._at(event.position().x())
        station = STATIONS[self._hover]
        self.setToolTip(f"{HELP[station]} ({self._hover + 1})")
        self.update()

    def leaveEvent(self, _event: object) -> None:  # noqa: N802
        self._hover = -1
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self._focus = (self._focus + step) % len(STATIONS)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.toggle(STATIONS[self._focus])
        else:
            super().keyPressEvent(event)
