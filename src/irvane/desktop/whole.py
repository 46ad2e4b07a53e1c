"""The parts of a window, declared for those who work on it as a whole: commands, conditions, hands, the
finder.
:class:`irvane.desktop.window.Window` makes them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QMainWindow

if TYPE_CHECKING:
    from irvane.desktop.automatic import Automatic
    from irvane.desktop.bench.bench import Bench
    from irvane.desktop.bench.judging import Judging
    from irvane.desktop.framing.framing import Framing
    from irvane.desktop.line.band import Band
    from irvane.desktop.line.shelf import Shelf
    from irvane.desktop.merging import Merging
    from irvane.desktop.opening import Opening
    from irvane.desktop.proofs import Proofs
    from irvane.desktop.queue.queueing import Queueing
    from irvane.desktop.rail.rail import Rail
    from irvane.desktop.regions.regions import Regions
    from irvane.desktop.reporting import Reporting
    from irvane.desktop.session import Session
    from irvane.desktop.sheet.sheeting import Sheeting


class Whole(QMainWindow):
    """A window's parts, by their names."""

    session: Session
    rail: Rail
    bench: Bench
    judging: Judging
    shelf: Shelf
    band: Band
    opening: Opening
    proofs: Proofs
    framing: Framing
    regions: Regions
    reporting: Reporting
    sheeting: Sheeting
    merging: Merging
    queueing: Queueing
    automatic: Automatic
    #: Those that work on the whole themselves.
    surface: Any
    path: Any

    def say(self, sentence: str, words: str = "", call: Callable[[], object] | None = None) -> None:
        """Show a sentence until it was seen, with a button that does something about it."""
        raise NotImplementedError
