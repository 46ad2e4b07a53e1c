"""What is open: frames and merges with their proofs, which of them are brackets, and every change
undoable."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from weakref import WeakSet

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from irvane.core.files.frame_sets import PANORAMA, FrameSet
from irvane.core.files.info import FrameInfo
from irvane.core.files.proofs import Proof, Sidecar, merged, with_identities
from irvane.core.files.sidecar import Saved
from irvane.core.files.thumbnails import Preview
from irvane.core.judge.measured import Measured
from irvane.core.line.source import FileSource, Source
from irvane.core.settings import Settings, bare, copied_settings, value_text
from irvane.desktop.item import BARE, Item
from irvane.desktop.steps import Change, Together, TogetherChange


class Session(QObject):
    """The open items.

    Signals
    -------
    rows_changed : items were added, removed or grouped.
    pictured(number) : its small picture is that of its development now.
    item_changed(number) : preview, exposure data, proofs or problem of one item changed.
    proofs_changed(number) : its sidecar changed and has to be saved.
    refused(sentence) : why something was not changed.
    """

    rows_changed = Signal()
    item_changed = Signal(int)
    pictured = Signal(int)
    proofs_changed = Signal(int)
    refused = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.items: dict[int, Item] = {}
        self.order: list[int] = []
        self.undo = QUndoStack(self)
        self.changes: WeakSet[Change] = WeakSet()
        self._next = 0

    def add(self, source: Source, after: int | None = None) -> Item:
        """Add a source; one that is open already is returned as it is."""
        for item in self.items.values():
            if item.source.paths == source.paths and getattr(item.source, "how", None) == getattr(
                source, "how", None
            ):
                return item
        item = Item(self._next, source)
        self._next += 1
        self.items[item.number] = item
        self.order.insert(len(self.order) if after is None else self.order.index(after) + 1, item.number)
        self.rows_changed.emit()
        return item

    def add_files(self, paths: list[Path]) -> list[Item]:
        """Add many files at once."""
        known = {item.path: item for item in self.items.values() if not item.is_merge}
        added = []
        for path in paths:
            if path not in known:
                item = Item(self._next, FileSource(path))
                self._next += 1
                self.items[item.number] = item
                self.order.append(item.number)
                known[path] = item
            added.append(known[path])
        self.rows_changed.emit()
        return added

    def remove(self, number: int) -> None:
        """Close an item; its file and its proofs on disk stay."""
        item = self.items.pop(number)
        self.order.remove(number)
        partner = self.items.get(item.pair) if item.pair is not None else None
        if partner is not None:
            partner.pair, partner.leads = None, True
        for other in item.bracket:
            if other in self.items:
                self.items[other].bracket = ()
                self.items[other].offset = None
        self.rows_changed.emit()

    def learned(
        self, number: int, info: FrameInfo, preview: Preview | None, sidecar: Sidecar | None, locked: str = ""
    ) -> None:
        """What was found out about an item in the background."""
        item = self.items.get(number)
        if item is None:
            return
        item.info, item.preview, item.ready = info, preview or item.preview, True
        item.locked = locked
        if locked:
            self.refused.emit(f"{locked}.")
        if sidecar is not None:
            item.sidecar = sidecar
        self.item_changed.emit(number)

    def give_preview(self, item: Item, preview: Preview) -> None:
        """The rail picture of a source that has none of its own (a merge)."""
        item.preview, item.stand_in = preview, False
        self.rows_changed.emit()

    def developed(self, number: int, settings: Settings, made: Preview) -> None:
        """How an item looks under settings."""
        if number in self.items:
            self.items[number].developed = settings, made
            self.pictured.emit(number)

    def sharpened(self, number: int, made: Preview) -> None:
        """An item's small picture is as sharp as it will be."""
        if number in self.items:
            self.items[number].preview = made
            self.pictured.emit(number)

    def failed(self, number: int, sentence: str) -> None:
        """An item cannot be shown."""
        if number in self.items:
            self.items[number].problem = sentence
            self.items[number].ready = True
            self.item_changed.emit(number)

    def group(self, numbers: list[int], sets: list[FrameSet], pairs: Sequence[tuple[int, int]] = ()) -> None:
        """Note which of the items (by their place in `numbers`) form sets, and which are of one shot."""
        for places in pairs:
            raw, other = (self.items.get(numbers[place]) for place in places)
            if raw is not None and other is not None:
                raw.pair, other.pair, other.leads = other.number, raw.number, False
        for found in sets:
            one = found.among(numbers)
            for place, number in enumerate(one.members):
                item = self.items.get(number)
                if item is None:
                    continue
                if one.kind == PANORAMA:
                    item.panorama = one.positions
                else:
                    item.bracket, item.set_kind = one.members, one.kind
                    item.offset = one.offsets[place] if one.offsets else None
        self.rows_changed.emit()

    def measured(self, number: int, figures: Measured) -> None:
        """Figures of a whole frame were read."""
        if number in self.items:
            self.items[number].measured = figures
            self.item_changed.emit(number)

    def set_together(self, numbers: tuple[int, ...]) -> None:
        """Take frames for one set, in the order taken, or (a single one) out of its set; in one undoable
        step."""
        self.undo.push(TogetherChange(self, numbers))

    def put_together(self, sets: dict[int, Together]) -> None:
        """Give items these sets, offsets and kinds (used by undo and redo)."""
        for number, (members, offset, kind) in sets.items():
            item = self.items.get(number)
            if item is not None:
                item.bracket, item.offset, item.set_kind = members, offset, kind
                item.panorama = ()  # what it was part of is another thing now
        self.rows_changed.emit()

    # changes, all undoable

    def put(self, item: Item, sidecar: Sidecar) -> None:
        """Give an item these proofs (used by undo and redo)."""
        # a new one each time: what was sent to be saved keeps the one it was sent with
        item.removed = item.removed | {p.id: p.name for p in item.sidecar.proofs}
        item.sidecar = sidecar
        item.removed = {id: name for id, name in item.removed.items() if sidecar.proof(id) is None}
        self.proofs_changed.emit(item.number)
        self.item_changed.emit(item.number)

    def saved(self, number: int, sent: Sidecar, made: Saved) -> None:
        """Proofs that were sent were saved; with what another window had changed, that is there now."""
        item = self.items.get(number)
        if item is None or made.sidecar == item.sidecar:
            return
        if made.renamed:
            item.sidecar = with_identities(item.sidecar, made.renamed)
            item.removed = {made.renamed.get(id, id): name for id, name in item.removed.items()}
            for change in list(self.changes):
                change.rename(item, made.renamed)
        before = with_identities(sent, made.renamed)
        same = item.sidecar == before
        item.sidecar = (
            made.sidecar if same else merged(before, item.sidecar, made.sidecar, item.removed).sidecar
        )
        item.removed = {id: name for id, name in item.removed.items() if item.sidecar.proof(id) is None}
        self.item_changed.emit(number)

    def _do(self, item: Item, after: Sidecar, text: str, gesture: str = "") -> None:
        if item.locked:
            self.refused.emit(f"{item.locked}.")
        elif item.ready and after != item.sidecar:
            self.undo.push(Change(self, item, after, text, gesture))

    def mark(self, numbers: list[int], mark: str | None = None, stars: int | None = None) -> None:
        """Mark frames (KEEP, REJECT or ""), or give them stars; in one undoable step. None leaves what there
        is."""
        self.undo.beginMacro("marks" if mark is not None else "stars")
        for number in numbers:
            item = self.items[number]
            was = item.sidecar
            now = replace(
                was, mark=was.mark if mark is None else mark, stars=was.stars if stars is None else stars
            )
            self._do(item, now, "marks")
        self.undo.endMacro()

    def edit(self, number: int, proof: int, values: dict[str, object]) -> None:
        """Change settings of a proof.

        Raises
        ------
        SettingError
            When a value does not fit.
        """
        item = self.items[number]
        if proof == BARE:
            return
        settings = item.settings(proof).with_values(values)
        proofs = list(item.sidecar.proofs)
        proofs[proof] = replace(proofs[proof], settings=settings)
        path = next(iter(values))
        text = f"{path.split('.')[1].replace('_', ' ')} {value_text(path, settings.get(path))}"
        # moving one control is one step back; several settings at once are a choice of their own
        gesture = f"{proof}:{path}" if len(values) == 1 else ""
        self._do(item, replace(item.sidecar, proofs=tuple(proofs)), text, gesture)

    def replace_settings(
        self, number: int, proof: int, settings: Settings, text: str, gesture: str = ""
    ) -> None:
        """Give a proof other settings altogether; changes of one gesture are one step back."""
        item = self.items[number]
        proofs = list(item.sidecar.proofs)
        proofs[proof] = replace(proofs[proof], settings=settings)
        self._do(item, replace(item.sidecar, proofs=tuple(proofs)), text, gesture)

    def replace_many(self, values: dict[int, Settings], text: str) -> None:
        """Give the current proofs of many items other settings, in one undoable step."""
        if values:
            self.undo.beginMacro(text)
            for number, settings in values.items():
                self.replace_settings(number, self.items[number].sidecar.current, settings, text)
            self.undo.endMacro()

    def begin_with(self, number: int, settings: Settings) -> None:
        """What a new item starts from: nothing that was done, and so nothing to undo."""
        item = self.items[number]
        self.put(item, replace(item.sidecar, proofs=(replace(item.sidecar.proofs[0], settings=settings),)))

    def make_current(self, number: int, proof: int) -> None:
        """The proof that an item is shown with from now on; nothing to be undone."""
        item = self.items[number]
        if item.sidecar.current != proof:
            item.sidecar = replace(item.sidecar, current=proof)
            self.proofs_changed.emit(number)

    def new_proof(self, number: int, proof: int) -> int:
        """Add a proof that starts from another; returns its number."""
        return self.add_proof(number, bare() if proof == BARE else self.items[number].settings(proof))

    def add_proof(self, number: int, settings: Settings) -> int:
        """Add a proof with these settings; returns its number."""
        item = self.items[number]
        taken = {p.name for p in item.sidecar.proofs}
        name = next(n for n in (f"Proof {k}" for k in range(1, 10_000)) if n not in taken)
        proofs = (*item.sidecar.proofs, Proof(name, settings))
        self._do(item, replace(item.sidecar, proofs=proofs, current=len(proofs) - 1), f"new proof “{name}”")
        return len(item.sidecar.proofs) - 1

    def copy_settings(
        self, settings: Settings, stations: tuple[str, ...], numbers: tuple[int, ...], fresh: bool
    ) -> None:
        """Give other items the settings of some stations, in one undoable step.

        Parameters
        ----------
        fresh : into a new proof of each, which becomes its current one; otherwise into its current proof.
        """
        self.undo.beginMacro(f"copy {', '.join(stations)}")
        for number in numbers:
            item = self.items[number]
            proof = self.new_proof(number, item.sidecar.current) if fresh else item.sidecar.current
            taken = copied_settings(settings, item.settings(proof), stations)
            self.replace_settings(number, proof, taken, f"{', '.join(stations)} copied")
        self.undo.endMacro()

    def remove_proof(self, number: int, proof: int) -> None:
        """Remove a proof; the last one stays."""
        item = self.items[number]
        if len(item.sidecar.proofs) < 2 or proof == BARE:
            return
        name = item.proof_name(proof)
        proofs = tuple(p for k, p in enumerate(item.sidecar.proofs) if k != proof)
        current = min(item.sidecar.current, len(proofs) - 1)
        self._do(item, replace(item.sidecar, proofs=proofs, current=current), f"remove “{name}”")

    def keep_winner(self, numbers: list[int], name: str, note: str) -> None:
        """Of these items, keep the proof of a name (with a note) and discard the others, in one undoable
        step."""
        self.undo.beginMacro(f"keep “{name}”, discard the others")
        for number in numbers:
            item = self.items[number]
            kept = tuple(replace(p, note=note or p.note) for p in item.sidecar.proofs if p.name == name)
            if kept:
                self._do(item, replace(item.sidecar, proofs=kept, current=0), f"keep “{name}”")
        self.undo.endMacro()

    def rename_proof(self, number: int, proof: int, name: str) -> None:
        """Rename a proof."""
        item = self.items[number]
        if not name.strip() or proof == BARE:
            return
        proofs = list(item.sidecar.proofs)
        proofs[proof] = replace(proofs[proof], name=name.strip()[:60])
        self._do(item, replace(item.sidecar, proofs=tuple(proofs)), f"rename to “{name.strip()}”")
