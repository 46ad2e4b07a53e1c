"""What the mouse does with panes, frames and figures: frames dropped onto panes, and the right button's
menus.

The right button never changes what is selected: its menu is about what lies under the pointer, or about the
whole selection where that lies in it.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, QObject, QPoint
from PySide6.QtGui import QContextMenuEvent, QDropEvent, QGuiApplication
from PySide6.QtWidgets import QMenu

from irvane.core.files.frame_sets import PANORAMA
from irvane.core.files.proofs import KEEP, REJECT
from irvane.core.finish.destination import destinations
from irvane.core.handbook import PAGE_OF
from irvane.core.merge.kinds import KINDS
from irvane.desktop.bench.bench import MOST
from irvane.desktop.bench.panes import LETTERS
from irvane.desktop.item import BARE, Item
from irvane.desktop.line.rests import BARE_RESTS
from irvane.desktop.plain import counted, on_button
from irvane.desktop.rail.model import frames_of
from irvane.desktop.shot_card import show_shot
from irvane.desktop.whole import Whole

#: Frames that a menu offers at most: those around the one that is shown.
_OFFERED = 24


class Hands(QObject):
    """Watches panes, captions, rail and table of a window."""

    def __init__(self, window: Whole) -> None:
        super().__init__(window)
        self.window, self.bench, self.session = window, window.bench, window.session
        self.menu: QMenu | None = None
        for pane, view in enumerate(self.bench.views):
            view.setAcceptDrops(True)
            view.installEventFilter(self)
            self.bench.captions[pane].menu_wanted.connect(lambda place, n=pane: self._about_pane(n, place))
        window.rail.menu_wanted.connect(self._about_frames)
        window.rail.set_menu_wanted.connect(self._about_set)
        window.rail.joined.connect(window.merging.join)
        window.sheeting.sheet.menu_wanted.connect(self._about_frames)
        window.band.menu_wanted.connect(self._about_station)
        self.bench.judgement.menu_wanted.connect(self._about_figure)
        window.proofs.frames_wanted.connect(self._offer_frames)
        window.reporting.shown_asked.connect(
            lambda paths: window.opening.open_together(paths[:MOST], self._equally_bright)
        )

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        pane = next((n for n, view in enumerate(self.bench.views) if view is watched), None)
        if pane is None:
            return False
        if event.type() in (QEvent.Type.DragEnter, QEvent.Type.DragMove, QEvent.Type.Drop):
            return self._drop(self._pane(pane), event)  # type: ignore[arg-type]
        if isinstance(event, QContextMenuEvent) and self.bench.views[pane].split is None:
            self._about_pane(self._pane(pane), event.globalPos(), event.pos())
            return True
        return False

    def _equally_bright(self, numbers: list[int]) -> None:
        self.window.judging.compare(numbers)
        self.bench.set_matching(True)

    def _pane(self, view: int) -> int:
        """The pane that a view shows."""
        told = self.bench.arranging.told()
        return view if view in told and len(told) > 1 else self.bench.chosen

    def _drop(self, pane: int, event: QDropEvent) -> bool:
        numbers = frames_of(event.mimeData())
        if not numbers:
            return False  # files are the window's
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            self.bench.choose(pane)
            self.bench.show_item(pane, numbers[0])
            self.window.rail.follow(numbers[0])
        return True

    def _begin(self) -> QMenu:
        self.menu = QMenu(self.window)
        return self.menu

    # menus

    def _about_pane(self, pane: int, place: QPoint, inside: QPoint | None = None) -> None:
        item = self.bench.item(pane)
        if item is None:
            return
        bench, menu, content = self.bench, self._begin(), self.bench.contents[pane]
        if inside is not None:
            view = bench.view_of(pane)
            spot = view.frame_point(inside.toPointF())
            menu.addAction("Put the probe here", lambda: bench.move_probe(spot.x(), spot.y()))
            menu.addAction("100 % here", lambda: view.zoom_at(inside.toPointF(), 1.0))
            menu.addSeparator()
        self._add_frames(menu.addMenu("Another frame"), pane)
        menu.addAction("Another proof …", lambda: bench.proof_menu.emit(pane))
        menu.addSeparator()
        held = menu.addAction(
            "Hold the others against this one", partial(bench.captioning.hold_against, pane)
        )
        stays = menu.addAction("Keeps its frame when another is chosen", partial(bench.captioning.pin, pane))
        for action, on in ((held, pane == bench.panes.view.reference), (stays, content.pinned)):
            action.setCheckable(True)
            action.setChecked(on)
        menu.addAction("Exchange with the next pane", partial(bench.swap, pane))
        taken = menu.addAction("Take this pane away", lambda: bench.remove(pane))
        taken.setEnabled(bench.count > 2)
        menu.addSeparator()
        menu.addAction("All it says of itself", bench.captions[pane].show_card)
        menu.popup(place)

    def _offer_frames(self, menu: QMenu, pane: int) -> None:
        self._add_frames(menu.addMenu("Another frame"), pane)

    def _add_frames(self, menu: QMenu, pane: int) -> None:
        """The frames around the one that is shown."""
        numbers, own = list(self.session.items), self.bench.contents[pane].item
        place = numbers.index(own) if own in numbers else 0
        first = max(0, min(place - _OFFERED // 2, len(numbers) - _OFFERED))
        for number in numbers[first : first + _OFFERED]:
            name = on_button(self.session.items[number].source.name, 40)
            action = menu.addAction(name, partial(self.bench.show_item, pane, number))
            action.setCheckable(True)
            action.setChecked(number == own)

    def _about_frames(self, number: int, selected: list[int], place: QPoint) -> None:
        """`number` lies under the pointer; all of the selection is meant where it is one of it."""
        numbers = [n for n in (selected if number in selected else [number]) if n in self.session.items]
        if not numbers:
            return
        menu, window = self._begin(), self.window
        items = [self.session.items[n] for n in numbers]
        several = f"these {len(numbers)} frames" if len(numbers) > 1 else "this frame"
        if len(numbers) > 1:
            compare = menu.addAction(f"Compare {several}", partial(window.judging.compare, numbers))
            compare.setEnabled(len(numbers) <= MOST)
            compare.setToolTip(f"Two to {MOST} frames can stand side by side.")
            self._add_merges(menu.addMenu(f"Merge {several}"), items)
            paths = [path for item in items for path in item.source.paths]
            menu.addAction(f"Measure {several} as a ladder", partial(window.reporting.ladder, paths))
            menu.addAction("They are one set", partial(window.merging.join, tuple(numbers)))
        elif window.sheeting.on:
            menu.addAction("Show on the bench", partial(window.sheeting.sheet.opened.emit, number))
        else:
            for pane in range(self.bench.count):
                menu.addAction(f"Show in pane {LETTERS[pane]}", partial(self.bench.show_item, pane, number))
            if items[0].bracket:
                menu.addAction("Take it out of its set", partial(window.merging.take_out, number))
        if len(numbers) == 1:
            menu.addAction("What its file says", partial(show_shot, items[0].path, items[0].info, window))
        menu.addSeparator()
        for words, mark in (
            (f"Keep {several}", KEEP),
            (f"Reject {several}", REJECT),
            ("Take the mark away", ""),
        ):
            menu.addAction(words, partial(window.sheeting.mark, numbers, mark))
        stars = menu.addMenu("Stars")
        for count in range(6):
            words = counted(count, "star") if count else "none"
            stars.addAction(words, partial(window.sheeting.mark, numbers, None, count))
        menu.addSeparator()
        menu.addAction("Automatic …", partial(window.automatic.run, numbers))
        copied = window.proofs.copied
        paste = menu.addAction("Paste settings …", partial(window.proofs.paste_settings, numbers))
        paste.setEnabled(copied is not None)
        paste.setToolTip("Nothing is copied yet: Copy settings (Ctrl+C) comes first.")
        onto = menu.addMenu("Write by the queue")
        for one in destinations():
            words = on_button(f"“{one.name}”: {one.words()}", 80)
            onto.addAction(words, partial(window.queueing.put_to, one.name, numbers))
        menu.setToolTipsVisible(True)
        menu.popup(place)

    def _add_merges(self, menu: QMenu, items: list[Item]) -> None:
        """Every kind of merge of these frames."""
        for key, kind in KINDS.items():
            menu.addAction(
                f"{kind.words[0].upper()}{kind.words[1:]} …", partial(self.window.merging.open, items, key)
            )

    def _about_set(self, numbers: tuple[int, ...], kind: str, place: QPoint) -> None:
        """The right button on the heading of a set."""
        menu = self._begin()
        items = [self.session.items[n] for n in numbers if n in self.session.items]
        self._add_merges(menu, items)
        menu.addSeparator()
        compare = menu.addAction("Compare them", partial(self.window.judging.compare, list(numbers)))
        compare.setEnabled(len(numbers) <= MOST)
        paths = [path for item in items for path in item.source.paths]
        menu.addAction("Measure them as a ladder", partial(self.window.reporting.ladder, paths))
        if kind != PANORAMA:
            menu.addAction("They are no set", partial(self.window.merging.dissolve, numbers))
        menu.popup(place)

    def _about_station(self, station: str, place: QPoint) -> None:
        """The right button on a station of the line."""
        window, menu = self.window, self._begin()
        item = window.proofs.item()
        bare = item is None or window.proofs.number == BARE
        for words, call in (
            (
                "Open it" if window.band.station != station else "Close it",
                partial(window.band.toggle, station),
            ),
            ("Back to untouched", partial(window.proofs.station_back, station)),
            ("Compare with and without it", partial(window.judging.leave_out, station)),
            ("What it does (handbook)", partial(window.surface.show_page, PAGE_OF[station])),
        ):
            action = menu.addAction(words, call)
            if bare and words not in ("Open it", "Close it", "What it does (handbook)"):
                action.setEnabled(False)
                action.setToolTip(BARE_RESTS)
        menu.setToolTipsVisible(True)
        menu.popup(place)

    def _about_figure(self, place: QPoint, row: int, pane: int) -> None:
        menu, judgement = self._begin(), self.bench.judgement
        menu.addAction("What this figure means", partial(judgement.table.explain, row))
        if pane >= 0:
            menu.addAction(
                f"Hold the others against pane {LETTERS[pane]}",
                partial(self.bench.captioning.hold_against, pane),
            )
        menu.addAction("Copy the table", lambda: QGuiApplication.clipboard().setText(judgement.as_text()))
        menu.addSeparator()
        judgement.add_choices(menu)
        menu.popup(place)
