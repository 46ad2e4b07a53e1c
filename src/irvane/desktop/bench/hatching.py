"""Hatching over a picture: what was clipped on the sensor, what is at white or black in the finished picture,
and which colours the output space does not hold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QTransform

from irvane.core.line.clip_flags import BLACK, GAMUT, SENSOR, WHITE
from irvane.desktop import theme

#: Colour of the stripes by the lost colours (bit 0 red, 1 green, 2 blue).
_LOST = ("#00000000", "#c8463c", "#4f9a48", "#b99a2e", "#4668c0", "#a1529c", "#3d9aa0", "#1c1c1c")
_AT_WHITE, _AT_BLACK = QColor("#1f6f66"), QColor("#8fd0c6")
_OUTSIDE = QColor("#9a9a9a")


@dataclass(frozen=True)
class Marks:
    """Indexed pictures: stripes of the sensor, stripes of the finished picture, dots where the output space
    ends; None where nothing is marked."""

    sensor: QImage | None
    output: QImage | None
    gamut: QImage | None


def _indexed(codes: np.ndarray, colours: list[int]) -> QImage | None:
    if not codes.any():
        return None
    h, w = codes.shape
    image = QImage(np.ascontiguousarray(codes).data, w, h, w, QImage.Format.Format_Indexed8)
    image.setColorTable(colours)
    return image.copy()


def marks_of(bits: np.ndarray) -> Marks:
    """Pictures of the marks (uint8 H×W)."""
    lost = [QColor(name).rgba() for name in _LOST]
    output = [0] * (WHITE + BLACK + 1)
    output[WHITE], output[BLACK] = _AT_WHITE.rgba(), _AT_BLACK.rgba()
    output[WHITE | BLACK] = _AT_WHITE.rgba()  # a reduced pixel may cover both
    outside = [0] * (GAMUT + 1)
    outside[GAMUT] = _OUTSIDE.rgba()
    return Marks(
        _indexed(bits & SENSOR, lost),
        _indexed(bits & (WHITE | BLACK), output),
        _indexed(bits & GAMUT, outside),
    )


def paint_marks(painter: QPainter, marks: Marks, target: QRectF, view: QRect, ratio: float) -> None:
    """Hatch a picture that is painted into `target`; stripes keep their width at every zoom."""
    seen = target.toAlignedRect().intersected(view)
    for image, style in (
        (marks.sensor, Qt.BrushStyle.BDiagPattern),
        (marks.output, Qt.BrushStyle.FDiagPattern),
        (marks.gamut, Qt.BrushStyle.Dense6Pattern),
    ):
        if image is None or seen.isEmpty():
            continue
        layer = QImage(
            max(1, round(seen.width() * ratio)),
            max(1, round(seen.height() * ratio)),
            QImage.Format.Format_ARGB32_Premultiplied,
        )
        layer.setDevicePixelRatio(ratio)
        layer.fill(Qt.GlobalColor.transparent)
        inner = QPainter(layer)
        inner.drawImage(target.translated(-QPointF(seen.topLeft())), image, QRectF(image.rect()))
        inner.setCompositionMode(QPainter.CompositionMode.CompositionMode_DestinationIn)
        brush = QBrush(theme.TEXT, style)
        brush.setTransform(QTransform.fromTranslate(-seen.x() % 8, -seen.y() % 8))
        inner.fillRect(QRect(0, 0, seen.width(), seen.height()), brush)
        inner.end()
        painter.drawImage(seen.topLeft(), layer)
