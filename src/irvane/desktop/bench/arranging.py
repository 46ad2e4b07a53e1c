"""Where the pictures and captions of a bench stand, and which panes each picture paints."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRect
from PySide6.QtWidgets import QGridLayout

from irvane.desktop.bench.caption import Caption
from irvane.desktop.bench.panes import BESIDE, DIFFERENCE, DIVIDED, ONE, Panes
from irvane.desktop.bench.picture import PictureView
from irvane.desktop.bench.table import NAMES, WIDE_NAMES

#: Pixels between panes.
_GAP = 8


class Arranging:
    """The widgets of a bench in their grid.

    Attributes
    ----------
    grid : the layout of pictures and captions.
    """

    def __init__(self, panes: Panes, views: Sequence[PictureView], captions: Sequence[Caption]) -> None:
        self.panes, self.views, self.captions = panes, views, captions
        self.grid = QGridLayout()
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(_GAP)
        self.grid.setVerticalSpacing(2)
        self.grid.setRowStretch(0, 1)

    def fit(self, width: int) -> None:
        """A gap between the panes that makes two of them exactly as wide as each other."""
        self.grid.setHorizontalSpacing(_GAP - (width - _GAP) % 2)

    def place(self) -> None:
        """Put the widgets to their places and show those that are wanted."""
        for widget in (*self.views, *self.captions):
            self.grid.removeWidget(widget)
        for number in range(2 * len(self.views)):
            self.grid.setColumnStretch(number, 0)
            self.grid.setRowStretch(number, 0)
        columns = self._place_beside() if self.panes.view.arrangement == BESIDE else self._place_one()
        for column in range(columns):
            self.grid.setColumnStretch(column, 1)
        pictures = self.told() if self.panes.view.arrangement == BESIDE else [0]
        for number, (view, caption) in enumerate(zip(self.views, self.captions, strict=True)):
            view.setVisible(number in pictures)
            caption.setVisible(number in self.told())
        self._assign()

    def _place_beside(self) -> int:
        count = len(self.panes.contents)
        columns = count if count <= 3 else -(-count // 2)
        for number in range(count):
            row, column = divmod(number, columns)
            self.grid.addWidget(self.views[number], 2 * row, column)
            self.grid.addWidget(self.captions[number], 2 * row + 1, column)
            self.grid.setRowStretch(2 * row, 1)
        return columns

    def _place_one(self) -> int:
        told = self.told()
        self.grid.addWidget(self.views[0], 0, 0, 1, len(told))
        self.grid.setRowStretch(0, 1)
        for column, number in enumerate(told):
            self.grid.addWidget(self.captions[number], 1, column)
        return len(told)

    def told(self) -> list[int]:
        """The panes that are seen, in their order."""
        if self.panes.view.arrangement == BESIDE:
            return list(range(len(self.panes.contents)))
        return (
            [self.panes.view.chosen]
            if self.panes.view.arrangement == ONE
            else sorted((self.panes.view.chosen, self.panes.other))
        )

    def _assign(self) -> None:
        """Give the widgets the contents they paint."""
        contents, first = self.panes.contents, self.views[0]
        first.split = None
        if self.panes.view.arrangement == BESIDE:
            for number, view in enumerate(self.views[: len(contents)]):
                view.contents = [contents[(number + self.panes.view.blinking) % len(contents)]]
        elif self.panes.view.arrangement == DIVIDED:
            first.contents = [
                contents[k] for k in (self.told()[::-1] if self.panes.view.blinking else self.told())
            ]
            first.split, first.split_angle = self.panes.view.split, self.panes.view.split_angle
        elif self.panes.view.arrangement == DIFFERENCE:
            self.panes.difference_content.item = contents[self.panes.view.chosen].item
            first.contents = [self.panes.difference_content]
        else:
            first.contents = [
                contents[self.panes.other if self.panes.view.blinking else self.panes.view.chosen]
            ]
        for view in self.views:
            view.update()

    def view_of(self, pane: int) -> PictureView:
        """The widget that paints a pane."""
        return self.views[pane] if self.panes.view.arrangement == BESIDE else self.views[0]

    def blink(self, on: bool) -> None:
        """While on, every picture shows the other pane's content in place."""
        self.panes.change(blinking=on)
        self._assign()

    def move_split(self, share: float) -> None:
        """Put the dividing line to a share of the picture's width."""
        self.panes.change(split=share)
        self._assign()

    def turn_split(self, degrees: float) -> None:
        """Turn the dividing line, to between upright and upright again."""
        self.panes.change(split_angle=(degrees + 90) % 180 - 90)
        self._assign()


def columns_under(captions: Sequence[QRect], width: int) -> list[int]:
    """Where columns begin under panes that stand in one row; or, where they do not, as wide as each other.
    The names stand to the left of the first."""
    in_row = len({one.top() for one in captions}) == 1
    if in_row and captions[0].width() >= 2 * NAMES:
        names = min(max(NAMES, captions[0].width() // 2), WIDE_NAMES)
        return [names, *(one.left() for one in captions[1:])]
    each = (width - NAMES) / len(captions)
    return [round(NAMES + each * k) for k in range(len(captions))]
