"""The pictures at the right end of the shelf: histograms in stops, noise curve."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from irvane.core.image import NoiseModel
from irvane.core.judge.histogram import BINS_PER_STOP, STOPS, StopHistogram
from irvane.core.sensor.exposure import SensorExposure
from irvane.desktop import theme

_CHANNELS = (QColor("#d98a80"), QColor("#8fc08a"), QColor("#8aa3d6"), QColor("#e6e6e6"))
#: Mid-grey lies this many stops below paper white.
_GREY_STOP = 4


class Plot(QWidget):
    """Paints what it was last given; empty until then."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumSize(190, 90)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._histogram: StopHistogram | None = None
        self._noise: NoiseModel | None = None
        self._sensor: SensorExposure | None = None
        self._left = 1.0
        self._instead = ""
        self.show_histogram(None)

    def show_histogram(self, histogram: StopHistogram | None, instead: str = "measuring …") -> None:
        """Show a histogram in stops below paper white; None: it is not there, and `instead` says why."""
        self._histogram, self._noise, self._sensor, self._instead = histogram, None, None, instead
        self.setAccessibleName("Histogram in stops")
        self.setToolTip(
            "All pixels of the proof in scene-linear light, counted in stops below paper white: red, green, "
            "blue and luminance. The mark is mid-grey. Bars at the ends: beyond the range."
        )
        self.update()

    def show_noise(self, noise: NoiseModel, left: float) -> None:
        """Show the frame's noise over its signal; `left` is the share that the settings leave."""
        self._noise, self._left, self._sensor = noise, left, None
        self.setAccessibleName("Noise over brightness")
        self.setToolTip(
            "Noise (σ, in per cent of the clipping point) over the signal in stops below clipping: as "
            "measured, and the share that the chosen amount leaves."
        )
        self.update()

    def show_sensor(self, exposure: SensorExposure) -> None:
        """Show how the sensor was exposed."""
        self._sensor, self._noise = exposure, None
        self.setAccessibleName("Histogram of the sensor in stops")
        self.setToolTip(
            "All values of the mosaic, before white balance, counted in stops below clipping: red, green, "
            "blue. Bars at the right end: clipped."
        )
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect()).adjusted(6, 4, -6, -16)
        painter.fillRect(area, theme.WELL)
        painter.setFont(theme.font(10))
        if self._noise is not None:
            self._paint_noise(painter, area)
        elif self._sensor is not None:
            self._paint_sensor(painter, area, self._sensor)
        else:
            self._paint_histogram(painter, area)
        painter.end()

    def _axis(self, painter: QPainter, area: QRectF, every: int) -> None:
        for stop in range(0, STOPS + 1, every):
            x = area.right() - area.width() * stop / STOPS
            painter.setPen(QPen(theme.PANEL, 1))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.setPen(theme.MUTED)
            if stop == STOPS:  # no room beyond the left end
                continue
            label = "0" if stop == 0 else f"−{stop}"
            place = QRectF(x - 20, area.bottom() + 1, 40, 14)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, label)

    def _paint_histogram(self, painter: QPainter, area: QRectF) -> None:
        self._axis(painter, area, 2)
        if self._histogram is None:
            painter.setPen(theme.MUTED)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, self._instead)
            return
        grey = area.right() - area.width() * _GREY_STOP / STOPS
        painter.setPen(QPen(theme.ACCENT, 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(grey, area.top()), QPointF(grey, area.bottom()))
        found = self._histogram
        self._paint_counts(painter, area, found.counts, found.below, found.above)

    def _paint_sensor(self, painter: QPainter, area: QRectF, exposure: SensorExposure) -> None:
        self._axis(painter, area, 2)
        counts = exposure.counts.reshape(3, STOPS * BINS_PER_STOP, -1).sum(axis=2)
        self._paint_counts(painter, area, counts, exposure.below, exposure.clipped)
        painter.setPen(theme.MUTED)
        painter.drawText(area.adjusted(6, 2, 0, 0), Qt.AlignmentFlag.AlignTop, "sensor, stops below clipping")

    @staticmethod
    def _paint_counts(
        painter: QPainter, area: QRectF, shares: np.ndarray, below: np.ndarray, above: np.ndarray
    ) -> None:
        counts = np.sqrt(shares)
        top = max(float(counts.max()), 1e-6)
        bins = counts.shape[1]
        for row, colour in zip(range(len(counts)), _CHANNELS, strict=False):
            line = QPolygonF()
            for k in range(bins):
                x = area.left() + area.width() * (k + 0.5) / bins
                line.append(QPointF(x, area.bottom() - float(counts[row, k]) / top * (area.height() - 4)))
            painter.setPen(QPen(colour, 1.6 if row == 3 else 1.0))
            painter.drawPolyline(line)
            for share, x in ((below[row], area.left()), (above[row], area.right() - 4)):
                height = min(float(np.sqrt(share)) / top, 1.0) * (area.height() - 4)
                painter.fillRect(QRectF(x + row, area.bottom() - height, 1.2, height), colour)

    def _paint_noise(self, painter: QPainter, area: QRectF) -> None:
        self._axis(painter, area, 2)
        assert self._noise is not None
        top = max(self._noise.sigma(1.0, c) for c in range(3)) * 1.05
        for share, style in ((1.0, Qt.PenStyle.DotLine), (self._left, Qt.PenStyle.SolidLine)):
            for channel in range(3):
                line = QPolygonF()
                for k in range(STOPS * 4 + 1):
                    sigma = self._noise.sigma(2.0 ** (k / 4 - STOPS), channel) * share
                    x = area.left() + area.width() * k / (STOPS * 4)
                    line.append(QPointF(x, area.bottom() - sigma / top * (area.height() - 4)))
                painter.setPen(QPen(_CHANNELS[channel], 1.2, style))
                painter.drawPolyline(line)
        painter.setPen(theme.MUTED)
        painter.drawText(
            area.adjusted(6, 2, 0, 0), Qt.AlignmentFlag.AlignTop, f"σ up to {top * 100:.2f} % of clipping"
        )
