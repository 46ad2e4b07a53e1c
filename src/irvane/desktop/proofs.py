"""The commands that act on the chosen pane's proof: settings, proofs of a frame, white balance by a grey
spot."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from irvane.core.errors import IrvaneError
from irvane.core.files.presets import Preset
from irvane.core.files.settings_file import read_settings_file
from irvane.core.light.suggest import Suggestion
from irvane.core.line.context import suggested_light
from irvane.core.line.frame import Frame
from irvane.core.settings import GRADES, STATIONS, Settings, copied_settings, older_methods, renewed
from irvane.desktop.bench.bench import Bench
from irvane.desktop.bench.judging import Judging
from irvane.desktop.copying_settings import CopySettingsDialog
from irvane.desktop.item import BARE, Item
from irvane.desktop.plain import counted, on_button
from irvane.desktop.presets import PresetsDialog
from irvane.desktop.service import RenderService
from irvane.desktop.session import Session


class Proofs(QObject):
    """Changes the proof that the chosen pane shows.

    Signals
    -------
    said(sentence), picking(on) : the next click chooses a grey spot.
    changed(sentence) : something was done that may be taken back at once.
    """

    said = Signal(str)
    picking = Signal(bool)
    frames_wanted = Signal(object, int)
    changed = Signal(str)

    def __init__(
        self, session: Session, service: RenderService, bench: Bench, judging: Judging, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.session, self.service, self.bench, self.judging = session, service, bench, judging
        self._window = parent
        self._picks_fringe = False
        #: Settings that were copied, and the name of their frame.
        self.copied: tuple[str, Settings] | None = None
        #: While a region is chosen: takes values in the proof's stead (True), and suggests light for the
        #: region alone.
        self.instead: Callable[[dict[str, object]], bool] = lambda _values: False
        self.suggestion: Callable[[Frame], Suggestion] = lambda frame: suggested_light(
            frame.developed, frame.context
        )
        for view in bench.views:
            view.spot_chosen.connect(self._spot)
        service.comparison.picked.connect(self._picked)

    def item(self) -> Item | None:
        """The item of the chosen pane."""
        return self.bench.item(self.bench.chosen)

    def bracket(self) -> tuple[int, ...]:
        """The bracket that the chosen frame belongs to."""
        item = self.item()
        return item.bracket if item is not None else ()

    @property
    def number(self) -> int:
        """The proof of the chosen pane."""
        return self.bench.contents[self.bench.chosen].proof

    def edit(self, path: str, value: object) -> None:
        """Change one setting of the chosen proof."""
        self.edit_many({path: value})

    def edit_many(self, values: dict[str, object]) -> None:
        item = self.item()
        if item is None or not item.ready:
            return
        if self.number == BARE:
            self.said.emit("The bare frame has no settings. Press B for the proof, or N for a new one.")
            return
        try:
            self.session.edit(item.number, self.number, values)
        except IrvaneError as error:
            self.said.emit(str(error))

    def set_grade(self, grade: str) -> None:
        """A quick grade of noise removal, in one undoable step."""
        self.act(dict(GRADES[grade]))

    def act(self, values: dict[str, object]) -> None:
        """Values that a button stands for: in the chosen region where there is one, else in the whole
        proof."""
        if not self.instead(values):
            self.edit_many(values)

    def step_proof(self, direction: int) -> None:
        """Show the next or previous proof of the frame in the chosen pane; the bare frame counts as the
        first."""
        item = self.item()
        if item is not None:
            count = len(item.sidecar.proofs)
            self._show_proof(self.bench.chosen, (self.number + 1 + direction) % (count + 1) - 1)

    def _show_proof(self, pane: int, proof: int) -> None:
        item = self.bench.item(pane)
        if item is not None:
            self.bench.show_proof(pane, proof)
            if proof != BARE and item.ready:
                self.session.make_current(item.number, proof)

    def new_proof(self) -> None:
        """A new proof that starts from the chosen one, shown in its place; the old one moves to the other
        pane."""
        item = self.item()
        if item is None or not item.ready:
            return
        old = self.number
        fresh = self.session.new_proof(item.number, old)
        self.bench.show_proof(self.bench.chosen, fresh)
        other = self.bench.panes.other
        if self.bench.contents[other].item == item.number and old != BARE:
            self.bench.show_proof(other, old)

    def renew_proof(self) -> None:
        """The same settings made with the newest methods, as a new proof beside the old one."""
        item = self.item()
        if item is None or self.number == BARE:
            return
        old, settings = self.number, item.settings(self.number)
        if not older_methods(settings):
            self.said.emit("This proof is made with the newest methods already.")
            return
        fresh = self.session.add_proof(item.number, renewed(settings))
        self.bench.show_proof(self.bench.chosen, fresh)
        self.bench.show_proof(self.bench.panes.other, old)
        self.said.emit("The new proof is made with the newest methods; the old one stays beside it.")

    def take_settings(self, path: Path | None) -> None:
        """The settings of a file as a new proof of the chosen frame."""
        item = self.item()
        if path is None or item is None or not item.ready:
            return
        try:
            settings = read_settings_file(path)
        except IrvaneError as error:
            self.said.emit(str(error))
            return
        self.bench.show_proof(self.bench.chosen, self.session.add_proof(item.number, settings))
        self.said.emit(f"Taken from {path.name} as a new proof.")

    def rename_proof(self) -> None:
        """Ask for another name."""
        item = self.item()
        if item is None or self.number == BARE:
            return
        name, good = QInputDialog.getText(
            self._window, "Rename the proof", "Name", text=item.proof_name(self.number)
        )
        if good:
            self.session.rename_proof(item.number, self.number, name)

    def choose_preset(self) -> None:
        """Show the presets; the one that is chosen changes this proof."""
        item = self.item()
        if item is None or self.number == BARE:
            self.said.emit("Choose a proof: presets change its settings.")
            return
        proof = self.number
        dialog = PresetsDialog(item.settings(proof), self._window)
        dialog.applied.connect(lambda preset: self.apply(preset, item, proof))
        dialog.open()

    def apply(self, preset: Preset, item: Item | None = None, proof: int | None = None) -> None:
        """Give a proof the settings of a preset; that which is seen, or another."""
        item, proof = item or self.item(), self.number if proof is None else proof
        if item is not None:
            settings = preset.applied(item.settings(proof))
            self.session.replace_settings(item.number, proof, settings, f"preset “{preset.name}”")

    def copy_settings(self) -> None:
        """Remember the settings of the chosen proof."""
        item = self.item()
        if item is not None and self.number != BARE:
            self.copied = item.source.name, item.settings(self.number)
            self.said.emit("Copied. Select the frames that are to have these settings, then Ctrl+V.")

    def paste_settings(self, selected: list[int]) -> None:
        """Ask which of the remembered settings go into the selected frames."""
        item = self.item()
        if self.copied is None or item is None:
            return
        frames = [one for one in self.session.items.values() if one.ready]
        self._ask_to_copy(*self.copied, frames, [*selected, item.number])

    def copy_to(self, selected: list[int]) -> None:
        """Ask which stations of the chosen proof go to which frames; those selected are ticked."""
        item = self.item()
        others = [i for i in self.session.items.values() if item is not None and i is not item and i.ready]
        if item is not None and self.number != BARE and others:
            self._ask_to_copy(item.source.name, item.settings(self.number), others, selected)

    def _ask_to_copy(self, name: str, settings: Settings, to: list[Item], ticked: list[int]) -> None:
        dialog = CopySettingsDialog(name, settings, to, self._window, frozenset(ticked))
        dialog.wanted.connect(
            lambda stations, numbers, fresh: self._copy_to(settings, stations, numbers, fresh)
        )
        dialog.open()

    def _copy_to(
        self, settings: Settings, stations: tuple[str, ...], numbers: tuple[int, ...], fresh: bool
    ) -> None:
        self.session.copy_settings(settings, stations, numbers, fresh)
        frames = counted(len(numbers), "frame")
        self.changed.emit(f"Copied to {frames}: {', '.join(stations)}.")

    def station_back(self, station: str) -> None:
        """One station as an untouched proof has it; the others stay."""
        item = self.item()
        if item is None or self.number == BARE or not station:
            return
        before = item.settings(self.number)
        after = copied_settings(Settings(), before, (station,))
        if after == before:
            self.said.emit(f"{station.capitalize()} is untouched already.")
            return
        self.session.replace_settings(item.number, self.number, after, f"{station} back to untouched")
        self.changed.emit(f"{station.capitalize()} is as an untouched proof has it.")

    def remove_proof(self) -> None:
        """Remove the chosen proof; undo brings it back."""
        item = self.item()
        if item is not None:
            self.session.remove_proof(item.number, self.number)

    def toggle_bare(self) -> None:
        """The bare frame in the chosen pane, or the proof again."""
        item = self.item()
        if item is not None:
            self._show_proof(self.bench.chosen, item.sidecar.current if self.number == BARE else BARE)

    def reset_proof(self) -> None:
        """All settings back to an untouched proof."""
        item = self.item()
        if item is not None and self.number != BARE:
            self.session.replace_settings(item.number, self.number, Settings(), "back to an untouched proof")

    def menu(self, pane: int) -> None:
        """The proofs of a pane's frame to choose from, and other frames."""
        item = self.bench.item(pane)
        if item is None:
            return
        self.bench.choose(pane)
        menu = QMenu(self._window)
        for number, proof in enumerate(item.sidecar.proofs):
            action = menu.addAction(on_button(proof.name), partial(self._show_proof, pane, number))
            action.setCheckable(True)
            action.setChecked(number == self.bench.contents[pane].proof)
        bare = menu.addAction("bare", lambda: self._show_proof(pane, BARE))
        bare.setCheckable(True)
        bare.setChecked(self.bench.contents[pane].proof == BARE)
        without = menu.addMenu("Without a station")
        for station in STATIONS[:-1]:
            without.addAction(station.capitalize(), partial(self.judging.show_without, pane, station))
        self.frames_wanted.emit(menu, pane)
        menu.addSeparator()
        menu.addAction("New proof from this one", self.new_proof)
        number = self.bench.contents[pane].proof
        if number != BARE and older_methods(item.settings(number)):
            menu.addAction("Renew: the same settings by the newest methods", self.renew_proof)
        menu.addAction("Rename this proof …", self.rename_proof)
        menu.addAction("Remove this proof", self.remove_proof)
        caption = self.bench.captions[pane]
        menu.popup(caption.proof.mapToGlobal(caption.proof.rect().bottomLeft()))

    # white balance

    def pick_grey(self, on: bool) -> None:
        """Choose a grey spot with the next click."""
        item = self.item()
        self._picks_fringe = False
        self.bench.set_picking(bool(on and item is not None))
        self.picking.emit(self.bench.views[0].picking)

    def pick_fringe(self) -> None:
        """Choose a coloured fringe with the next click; its hue is the one that is taken away."""
        if self.item() is None:
            return
        self.pick_grey(False)
        self._picks_fringe = True
        self.bench.set_picking(True)
        self.said.emit("Click on a coloured fringe.")

    def grey_of_frame(self) -> None:
        """White balance measured over the whole frame."""
        request = self.bench.controller.request_of(self.bench.chosen)
        if request is not None:
            self.service.comparison.pick_grey(request, None)

    def suggest_light(self) -> None:
        """A starting point for exposure and recovery, in one undoable step."""
        item = self.item()
        frame = (
            None if item is None else self.service.engine.best(item.source, item.settings(self.number).sensor)
        )
        if frame is None or frame.coarse:
            self.said.emit("The frame is not developed yet; try again in a moment.")
            return
        found = self.suggestion(frame)
        self.said.emit(found.words)
        self.act(dict(found.values()))

    def _spot(self, x: float, y: float) -> None:
        fringe = self._picks_fringe
        self.pick_grey(False)
        request = self.bench.controller.request_of(self.bench.chosen)
        if request is not None and fringe:
            self.service.comparison.pick_fringe(request, (x, y))
        elif request is not None:
            self.service.comparison.pick_grey(request, (x, y))

    def _picked(self, values: dict[str, object] | None, sentence: str) -> None:
        self.said.emit(sentence)
        if values is not None:
            self.act(values)
