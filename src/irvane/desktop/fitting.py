"""How large the window is at first: as is usual, within what the screen has free."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QApplication, QStyle

#: Size on a large screen, the least that is useful, and the height of a title bar at least, in pixels.
_USUAL, _LEAST, _TITLE_BAR = (1280, 800), (960, 560), 40


def usual_size(style: QStyle) -> QSize:
    """Size without the frame: title bar and border fit on the screen, too."""
    screen = QApplication.primaryScreen()
    free = screen.availableGeometry().size() if screen is not None else QSize(*_USUAL)
    bar = max(style.pixelMetric(QStyle.PixelMetric.PM_TitleBarHeight), _TITLE_BAR)
    border = style.pixelMetric(QStyle.PixelMetric.PM_MdiSubWindowFrameWidth)
    wide = min(_USUAL[0], free.width() - 2 * border)
    high = min(_USUAL[1], free.height() - bar - 2 * border)
    return QSize(max(wide, _LEAST[0]), max(high, _LEAST[1]))
