"""How the window looks: the grey around the pictures, the monitor's profile, full screen."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QScreen
from PySide6.QtWidgets import QFileDialog, QMainWindow, QWidget

from irvane.core.colour.soft_proof import SoftProof
from irvane.core.errors import ReadError
from irvane.core.files.preferences import preferences
from irvane.desktop import theme
from irvane.desktop.bench.bench import Bench
from irvane.desktop.medium import MediumDialog
from irvane.desktop.monitor import profile_of
from irvane.desktop.screen import SCREEN


class Appearance(QObject):
    """Changes how pictures are surrounded and shown; no picture changes.

    Signals
    -------
    said(sentence)
    """

    said = Signal(str)

    def __init__(self, window: QMainWindow, bench: Bench, parts: Iterable[QWidget]) -> None:
        """`parts` of the window are hidden in full screen."""
        super().__init__(window)
        self._window, self._bench, self._parts = window, bench, tuple(parts)
        self.use_surround(preferences().surround)
        self._before_full: dict[QWidget, bool] = {}

    def next_surround(self) -> None:
        """Another grey around the pictures."""
        self.use_surround((self._surround + 1) % len(theme.SURROUNDS))

    def use_surround(self, number: int) -> None:
        """One of the greys around the pictures."""
        self._surround = number
        for view in self._bench.views:
            view.surround = theme.SURROUNDS[self._surround]
            view.update()

    def choose_monitor(self) -> None:
        """Choose the profile of the screen; leaving the choice without a file goes back to sRGB."""
        name, _ = QFileDialog.getOpenFileName(
            self._window,
            "Monitor profile (Cancel: none, sRGB)",
            str(SCREEN.path or ""),
            "ICC profiles (*.icc *.icm);;All files (*)",
        )
        self.use_monitor(Path(name) if name else None)

    def use_monitor(self, path: Path | None) -> None:
        """Show pictures through a profile, or as sRGB."""
        try:
            SCREEN.use(path)
        except ReadError as error:
            self.said.emit(str(error))
            return
        SCREEN.remember()
        self._bench.show_anew()
        self.said.emit(
            f"Pictures are shown through the profile “{SCREEN.name}”."
            if path
            else "The screen is taken for sRGB."
        )

    def moved_to(self, screen: QScreen | None) -> None:
        """The window is on another screen: use the profile that is known for it."""
        if screen is not None and SCREEN.use_found(profile_of(screen)):
            self._bench.show_anew()
            self.said.emit(
                f"This screen's profile “{SCREEN.name}” was found and is used."
                if SCREEN.found
                else "No profile is known for this screen: it is taken for sRGB."
            )

    def choose_medium(self) -> None:
        """Choose the paper that pictures are seen as on."""
        dialog = MediumDialog(self._bench.panes.view.medium, self._window)
        dialog.chosen.connect(self.use_medium)
        dialog.open()

    def use_medium(self, medium: SoftProof | None) -> None:
        """See all panes as on a medium, or as they are."""
        self._bench.panes.change(medium=medium)
        self._bench.show_anew()
        self.said.emit(
            "Pictures are seen as they are."
            if medium is None
            else f"Pictures are seen as on “{medium.name}”, {medium.intent}; files are written without it."
        )

    def toggle_full(self) -> None:
        """Full screen with everything but the pictures hidden, and back."""
        if self._window.isFullScreen():
            self._window.showNormal()
            for part, visible in self._before_full.items():
                part.setVisible(visible)
            self._before_full = {}
        else:
            self._before_full = {part: part.isVisible() for part in self._parts}
            for part in self._parts:
                part.hide()
            self._window.showFullScreen()
