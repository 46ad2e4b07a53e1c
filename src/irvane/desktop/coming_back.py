"""Coming back to what stood on the bench: as it was when the window was closed, or a comparison that was
given a name."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import IrvaneError, plain_text
from irvane.core.files.benches import (
    KeptBench,
    Pane,
    Picture,
    benches_folder,
    last_path,
    list_benches,
    path_for,
    read_bench,
)
from irvane.core.judge.matching import KINDS
from irvane.core.line.looks import LOOKS
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.settings import STATIONS
from irvane.desktop.bench.bench import FEWEST, MOST, Bench
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.panes import BESIDE, DIFFERENCE, DIVIDED, ONE
from irvane.desktop.item import BARE, Item
from irvane.desktop.line.band import Band
from irvane.desktop.opening import Opening
from irvane.desktop.session import Session

#: Milliseconds between two looks whether all that is to be shown was read, and whether something is to be
#: kept.
_LOOK_AGAIN, _KEEP_EVERY = 50, 20_000


def _picture_of(item: Item) -> Picture:
    paths = tuple(str(path if path.is_absolute() else path.absolute()) for path in item.source.paths)
    how = item.source.how if isinstance(item.source, MergeSource) else None
    return Picture(paths, None if how is None else how.as_dict())


class ComingBack(QObject):
    """Keeps what stands on the bench, and puts it there again.

    Signals
    -------
    said(sentence)
    """

    said = Signal(str)

    def __init__(self, session: Session, bench: Bench, opening: Opening, band: Band, window: QWidget) -> None:
        super().__init__(window)
        self.session, self.bench, self.opening = session, bench, opening
        self.band, self._window = band, window
        #: Is what stands here to be kept? Not where another program asked for one picture.
        self.keeps = True
        self._again: QTimer | None = None
        self._kept: KeptBench | None = None
        meanwhile = QTimer(self, interval=_KEEP_EVERY)
        meanwhile.timeout.connect(self.keep_meanwhile)
        meanwhile.start()

    # keeping

    def now(self, name: str = "") -> KeptBench:
        """What stands on the bench now."""
        panes, viewport = self.bench.panes, self.bench.viewport
        return KeptBench(
            tuple(self._pane(content) for content in panes.contents),
            tuple(_picture_of(self.session.items[number]) for number in self.session.order),
            name, panes.view.chosen, panes.view.arrangement, panes.view.look, viewport.zoom, viewport.centre,
            panes.view.probe if panes.view.probe_placed else None, tuple(sorted(panes.view.matched)),
            panes.view.aligning, self.band.station,
        )  # fmt: skip

    def _pane(self, content: Content) -> Pane:
        item = self.session.items.get(content.item) if content.item is not None else None
        if item is None:
            return Pane()
        bare = content.proof == BARE
        proof = "" if bare else item.sidecar.proofs[min(content.proof, len(item.sidecar.proofs) - 1)].id
        return Pane(_picture_of(item), proof, bare, content.without)

    def keep_last(self) -> None:
        """The window closes: keep what stands there. What cannot be kept is let go: nothing of the pictures
        depends on it."""
        if self.session.items and self.keeps:
            with suppress(IrvaneError):
                self.now().save(last_path())

    def keep_meanwhile(self) -> None:
        """What stands there is kept now and then, too: a program that is killed closes no window."""
        if self.session.items and self.keeps and (kept := self.now()) != self._kept:
            self._kept = kept
            self.opening.service.files.keep_bench(kept, last_path())

    def ask_keep(self) -> None:
        """Keep this comparison under a name."""
        if not any(content.item is not None for content in self.bench.contents):
            self.said.emit("Nothing stands on the bench yet.")
            return
        name, good = QInputDialog.getText(self._window, "Keep this comparison", "Name:")
        if good and name.strip():
            self.keep(name.strip())

    def keep(self, name: str) -> None:
        """Keep it; a comparison of the same name is replaced."""
        path = path_for(name, benches_folder())
        instead = ", in place of the one of that name" if path.exists() else ""
        try:
            self.now(name).save(path)
        except IrvaneError as error:
            self.said.emit(str(error))
            return
        self.said.emit(f"Kept as “{plain_text(name, 60)}”{instead}. File, Kept comparisons shows it again.")

    # opening

    def open_last(self) -> None:
        """All as it was when the window was closed last."""
        if not last_path().exists():
            self.said.emit("Nothing is kept yet: it is when the window closes.")
        else:
            self.open(last_path())

    def ask_open(self) -> None:
        """Choose among the comparisons that are kept."""
        dialog = KeptDialog(benches_folder(), self._window)
        dialog.wanted.connect(self.open)
        dialog.open()

    def open(self, path: Path) -> None:
        """Put a kept bench there again; what is not there any more is told, the rest is shown."""
        try:
            kept = read_bench(path)
        except IrvaneError as error:
            self.said.emit(str(error))
            return
        shown = [pane.picture for pane in kept.panes if pane.picture is not None]
        wanted = {one.key: one for one in (*kept.open, *shown)}
        gone = [Path(p) for one in wanted.values() for p in one.paths if not Path(p).is_file()]
        frames = [Path(one.paths[0]) for one in wanted.values() if one.merge is None]
        there = [path for path in frames if path.is_file()]
        numbers = dict(zip(there, self.opening.take(there), strict=True))
        items: dict[str, Item] = {}
        before: int | None = None
        for key, one in wanted.items():
            if one.merge is not None:
                item = self._merge(one, before)
            else:
                item = self.session.items.get(numbers.get(Path(one.paths[0]), -1))
            if item is not None:
                items[key], before = item, item.number
        first = [items[one.key].number for one in shown if one.key in items]
        self.opening.look_at(first)
        self._once_ready(first, lambda: self._show(kept, items, list(dict.fromkeys(gone))))

    def _merge(self, one: Picture, after: int | None) -> Item | None:
        """A merge in the session, in its place of the rail; None when a file of it is not there."""
        paths = [Path(path) for path in one.paths]
        if not all(path.is_file() for path in paths):
            return None
        try:
            return self.opening.add_merge(MergeSource(paths, MergeOptions.from_dict(one.merge)), after)
        except IrvaneError as error:
            self.said.emit(str(error))
            return None

    def _once_ready(self, numbers: list[int], act: Callable[[], None]) -> None:
        def look() -> None:
            if all(n not in self.session.items or self.session.items[n].ready for n in numbers):
                again.stop()
                act()

        again = self._again = QTimer(self, interval=_LOOK_AGAIN)
        again.timeout.connect(look)
        again.start()

    def _show(self, kept: KeptBench, items: dict[str, Item], gone: list[Path]) -> None:
        bench = self.bench
        wanted = min(max(len(kept.panes), FEWEST), MOST)
        while bench.count != wanted:
            bench.change_count(1 if bench.count < wanted else -1)
        bench.choose(0)
        lost = False
        for number, pane in enumerate(kept.panes[:wanted]):
            item = None if pane.picture is None else items.get(pane.picture.key)
            if item is None or item.number not in self.session.items:
                bench.show_item(number, None)
                continue
            place = next((k for k, proof in enumerate(item.sidecar.proofs) if proof.id == pane.proof), None)
            lost |= place is None and not pane.bare
            bench.show_item(number, item.number, BARE if pane.bare else place)
            bench.contents[number].without = pane.without if pane.without in STATIONS else ""
        self._look_as_before(kept)
        words = [f"{plain_text(path.name)} is not there any more." for path in gone[:2]]
        words += [f"{len(gone) - 2} more files are not there either."] if len(gone) > 2 else []
        words += ["A proof was removed meanwhile; the current one stands in its place."] if lost else []
        self.said.emit(
            " ".join(words) or (f"“{kept.name}” stands here again." if kept.name else "All stands as it did.")
        )

    def _look_as_before(self, kept: KeptBench) -> None:
        bench, panes = self.bench, self.bench.panes
        bench.set_arrangement(
            kept.arrangement if kept.arrangement in (ONE, BESIDE, DIVIDED, DIFFERENCE) else BESIDE
        )
        if kept.look in LOOKS:
            bench.set_look(kept.look)
        for kind in sorted(panes.view.matched ^ (set(kept.matched) & set(KINDS))):
            bench.match_in(kind, kind in kept.matched)
        panes.change(aligning=kept.aligning)
        panes.viewport.zoom, panes.viewport.centre = kept.zoom, kept.centre
        if kept.probe is not None:
            panes.change(probe=kept.probe, probe_placed=True)
        bench.choose(min(max(kept.chosen, 0), bench.count - 1))
        item = bench.item(bench.chosen)
        if item is not None:
            self.opening.rail.follow(item.number)
        if kept.station != self.band.station and (kept.station or self.band.station) in STATIONS:
            self.band.toggle(kept.station or self.band.station)
        panes.viewport.changed.emit()
        bench.refresh()
        bench.controller.request()


class KeptDialog(QDialog):
    """The comparisons that are kept, by name.

    Signals
    -------
    wanted(path)
    """

    wanted = Signal(object)

    def __init__(self, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Kept comparisons")
        self.resize(420, 320)
        self._folder = folder
        self.names = QListWidget()
        self.names.setAccessibleName("Kept comparisons")
        self.names.itemActivated.connect(lambda _item: self._open())
        self.names.currentRowChanged.connect(lambda _row: self._update())
        self.empty = QLabel("None is kept yet: File, Keep this comparison.")
        self.empty.setObjectName("muted")
        self.show_it = QPushButton("Show")
        self.show_it.setToolTip("Opens its frames and puts the panes as they were.")
        self.show_it.setDefault(True)
        self.show_it.clicked.connect(self._open)
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Takes it off this list. Frames and proofs stay.")
        self.remove.clicked.connect(self._remove)
        leave = QPushButton("Cancel")
        leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addWidget(self.remove)
        below.addStretch(1)
        below.addWidget(leave)
        below.addWidget(self.show_it)
        layout = QVBoxLayout(self)
        layout.addWidget(self.names)
        layout.addWidget(self.empty)
        layout.addLayout(below)
        self._fill()

    def _fill(self) -> None:
        self.names.clear()
        for name, path in list_benches(self._folder):
            entry = QListWidgetItem(plain_text(name, 80))
            entry.setData(256, path)
            self.names.addItem(entry)
        self.names.setCurrentRow(0)
        self.empty.setVisible(not self.names.count())
        self._update()

    def _update(self) -> None:
        chosen = self.names.currentItem() is not None
        self.show_it.setEnabled(chosen)
        self.remove.setEnabled(chosen)

    def _open(self) -> None:
        if self.names.currentItem() is not None:
            self.wanted.emit(self.names.currentItem().data(256))
            self.accept()

    def _remove(self) -> None:
        with suppress(OSError):
            self.names.currentItem().data(256).unlink()
        self._fill()
