"""The lenses that a frame may have been taken with, where it is not certain: one click chooses, for good."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QPushButton

from irvane.core.lens.corrections import AUTO
from irvane.core.lens.profile import find_profile
from irvane.core.line.frame import Frame
from irvane.core.settings import Settings
from irvane.desktop.plain import on_button


def candidates(settings: Settings, frame: Frame) -> tuple[str, ...]:
    """The likeliest first; none where the lens is certain, was chosen, or nothing is alike."""
    facts = frame.context.lens
    if settings.lens.profile != AUTO or not facts.raw:
        return ()
    found = find_profile(facts.optics)
    return (found.name, *found.others) if found is not None and found.sure == "likely" else ()


class LikelyButton(QPushButton):
    """Shown only where there is something to choose from.

    Signals
    -------
    taken(name)
    """

    taken = Signal(str)

    def __init__(self) -> None:
        super().__init__("Is it one of these?")
        self.setToolTip(
            "Lenses of the database that this body can carry and that agree with what the file says, but "
            "not in "
            "every word. The one that you choose is used for this body and lens from now on."
        )
        self.names: tuple[str, ...] = ()
        self._menu = QMenu(self)
        self.setMenu(self._menu)

    def offer(self, names: Sequence[str]) -> None:
        """Offer these; hide without any."""
        if tuple(names) != self.names:
            self.names = tuple(names)
            self._menu.clear()
            for name in names:
                self._menu.addAction(on_button(name, 80), partial(self.taken.emit, name))
        self.setVisible(True)

    def setVisible(self, visible: bool) -> None:  # noqa: N802
        super().setVisible(visible and bool(self.names))
