"""Choosing a lens profile by name."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from irvane.core.errors import IrvaneError
from irvane.core.files.remembered import remember
from irvane.core.lens.corrections import LensFacts
from irvane.core.lens.framing import geometry_of
from irvane.core.lens.profile import all_profiles, find_profile
from irvane.desktop.framing.framing import Framing
from irvane.desktop.line.names import LensDialog
from irvane.desktop.proofs import Proofs
from irvane.desktop.service import RenderService


class Lenses(QObject):
    """Asks for a profile and gives it to the chosen proof.

    Signals
    -------
    said(sentence)
    """

    said = Signal(str)

    def __init__(self, proofs: Proofs, service: RenderService, framing: Framing, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.service, self.framing, self._window = proofs, service, framing, parent
        self.dialog: LensDialog | None = None

    def choose(self) -> None:
        """Show the lenses of the database, once they are read."""
        facts, lens = self.framing.facts(), self.framing.lens()
        if facts is None or lens is None:
            self.said.emit("Choose a proof of a frame that is developed: profiles belong to proofs.")
            return

        def done(found: str) -> None:
            self.dialog = LensDialog(all_profiles, lens.profile, found, self._window)
            self.dialog.taken.connect(lambda name, kept: self._take(facts, name, kept))
            self.dialog.open()

        self.service.long("lenses", "", lambda _progress: _found(facts), done)

    def take(self, name: str) -> None:
        """Use a lens for this proof, and for this body and lens from now on."""
        facts = self.framing.facts()
        if facts is not None:
            self._take(facts, name, True)

    def _take(self, facts: LensFacts, name: str, kept: bool) -> None:
        item, lens = self.proofs.item(), self.framing.lens()
        if item is None or lens is None:
            return
        wanted = item.settings(self.proofs.number).with_value("lens.profile", name)
        info = getattr(item.source, "info", None)
        if kept and info is not None:
            try:
                remember(info, name)
            except IrvaneError as error:
                self.said.emit(str(error))
            else:
                self.said.emit(f"New proofs of frames with this lens begin with {name}.")
        # its tables are made before they are asked for by the window
        self.service.long(
            "lens", "", lambda _progress: geometry_of(facts, wanted.lens),
            lambda _made: self.proofs.edit("lens.profile", name),
        )  # fmt: skip


def _found(facts: LensFacts) -> str:
    """What is known of the lens, in a sentence; reads the database."""
    all_profiles()
    optics = facts.optics
    said = [f"The file says: {optics.lens or 'no lens'}"]
    if optics.focal:
        said.append(f"{optics.focal:g} mm")
    if optics.aperture:
        said.append(f"f/{optics.aperture:g}")
    camera = f"{optics.make} {optics.model}".strip()
    found = find_profile(optics)
    alike = "nothing alike in the database" if found is None else f"most alike: {found.name} ({found.sure})"
    return f"{', '.join(said)}{f', on {camera}' if camera else ''}; {alike}."
