"""What holds for a whole station, above its picture: test strip, as untouched, more."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from irvane.desktop.flat import flat_button
from irvane.desktop.line.page import StationPage
from irvane.desktop.line.rests import BARE_RESTS

_STRIP = "One crop at several values of the setting in hand; click on the one you want (F)."
_UNTOUCHED = "This station as an untouched proof has it; the others stay (Shift+Backspace)."
_MORE = "The settings that few pictures need."


class StationHead(QWidget):
    """Three flat buttons.

    Attributes
    ----------
    buttons : of the test strip, of setting back, of unfolding.
    """

    def __init__(self) -> None:
        super().__init__()
        self.buttons = (
            flat_button("test strip", _STRIP),
            flat_button("as untouched", _UNTOUCHED),
            flat_button("more", _MORE, checkable=True),
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 6, 0)
        row.setSpacing(0)
        row.addStretch(1)
        for button in self.buttons:
            row.addWidget(button)

    def tell_folded(self, page: StationPage) -> None:
        """How many settings of a station are folded away."""
        more = self.buttons[2]
        more.setChecked(page.unfolded)
        more.setText("less" if page.unfolded else f"more ({page.folded})" if page.folded else "more")
        more.setEnabled(bool(page.folded))
        more.setToolTip(_MORE if page.folded else "All settings of this station are shown.")

    def tell_touched(self, touched: bool, editable: bool) -> None:
        """Does a station differ from an untouched proof's, and can it be set back?"""
        back = self.buttons[1]
        back.setEnabled(touched and editable)
        back.setToolTip(
            _UNTOUCHED if touched and editable else BARE_RESTS if touched else "This station is untouched."
        )
