"""The bar of jobs beside the menus: what a photographer comes for, by name, in the order of work.

What does not fit stands in a menu at its end; nothing is cut.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QWidget

from irvane.desktop import theme
from irvane.desktop.actions import BY_NAME, Actions
from irvane.desktop.conditions import TICKS
from irvane.desktop.flat import flat_button
from irvane.desktop.icons_of import icon
from irvane.desktop.plain import on_button


@dataclass(frozen=True)
class Job:
    """A button of the bar.

    Attributes
    ----------
    words : what stands on it. does : the command it does. menu : the commands it offers instead ("" draws a
    line). rank : which goes into the menu at the end last, when there is no room.
    """

    words: str
    does: str = ""
    menu: tuple[str, ...] = ()
    help: str = ""
    rank: int = 0


_GAP = Job("")
JOBS = (
    Job("Bring in", menu=("open", "open_folder", "copy_card", "", "as_it_was", "kept", "", "demo"),
        help="Open files or a folder, copy a card, or show again what was compared before.", rank=9),
    Job("Sheet", "sheet", rank=8),
    _GAP,
    Job("Crop", "frame_it", rank=5),
    Job("Regions", "regions", rank=5),
    Job("Merge", menu=("merge_hdr", "merge_fusion", "merge_join", "merge_mean", "merge_panorama", "",
                       "merge_how", "together", "apart", "plan"),
        help="HDR, exposure fusion, mean of a burst, panorama: of the selected frames, or of the set of the "
        "chosen one.", rank=7),
    Job("Compare", menu=("compare", "before", "bare", "", "divide", "difference", "match", "align", "",
                         "next_spot", "cull", "decide", "", "report", "ladder", "", "keep_bench"),
        help="Frames beside each other, with and without a station, difference, deciding, report.", rank=6),
    _GAP,
    Job("Copy settings", "copy_to", rank=3),
    Job("Automatic", "automatic", rank=3),
    _GAP,
    Job("Write", menu=("write", "queue_it", "", "destinations"),
        help="The chosen proof as a file, or the selected frames by the queue.", rank=8),
    Job("Queue", "queue", rank=7),
)  # fmt: skip
_BETWEEN = 2


class JobBar(QWidget):
    """Buttons of the jobs, undo and redo; a field of the finder may be put at its end."""

    def __init__(self, actions: Actions, field: QWidget) -> None:
        super().__init__()
        self._actions, self._field = actions, field
        self._room = 0
        self.setAccessibleName("Jobs")
        self.buttons: dict[str, QPushButton] = {}
        self.menus: dict[str, QMenu] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 6, 0)
        row.setSpacing(_BETWEEN)
        self._order: list[tuple[Job, QWidget]] = []
        for job in JOBS:
            part: QWidget = self._button(job) if job.words else self._gap()
            self._order.append((job, part))
            row.addWidget(part)
        self.more = flat_button("more", "What there was no room for.")
        self._more_menu = QMenu(self.more)
        self.more.setMenu(self._more_menu)
        actions.watch(self._more_menu)
        row.addWidget(self.more)
        row.addStretch(1)
        for name in ("undo", "redo"):
            button = self._plain(Job("", name))
            button.setIcon(icon(name))
            button.setIconSize(QSize(14, 14))
            button.setAccessibleName(BY_NAME[name].words)
            row.addWidget(button)
        row.addWidget(field)
        self._fit()

    def _plain(self, job: Job) -> QPushButton:
        command = BY_NAME[job.does]
        button = flat_button(job.words, self._help(job.does), checkable=job.does in TICKS)
        button.clicked.connect(partial(self._do, job.does))
        button.setAccessibleName(job.words or command.words)
        self.buttons[job.does] = button
        return button

    def _do(self, name: str, _checked: bool = False) -> None:
        self._actions.by_name[name].trigger()
        self.refresh()

    def _button(self, job: Job) -> QPushButton:
        if job.does:
            return self._plain(job)
        button = flat_button(job.words, job.help)
        menu = self._actions.menu(job.words, list(job.menu), button)
        button.setMenu(menu)
        self.menus[job.words] = menu
        self.buttons[job.words] = button
        return button

    @staticmethod
    def _gap() -> QWidget:
        line = QFrame()
        line.setFixedSize(9, 14)
        line.setStyleSheet(f"border: none; border-left: 1px solid {theme.EDGE.name()}; margin-left: 4px;")
        return line

    @staticmethod
    def _help(name: str) -> str:
        command = BY_NAME[name]
        keys = f" ({command.keys.replace('Ctrl+Return', 'Ctrl+Enter')})" if command.keys else ""
        return f"{command.help or command.words}{keys}"

    def refresh(self) -> None:
        """Grey, tick and explain the buttons as things are."""
        for name, button in self.buttons.items():
            if name not in BY_NAME:
                continue
            why = self._actions.reason(name)
            button.setEnabled(not why)
            text = self._help(name)
            if name in ("undo", "redo") and not why:
                stack = self._actions.stack()
                text = f"{BY_NAME[name].words}: {stack.undoText() if name == 'undo' else stack.redoText()}"
            button.setToolTip(why or text)
            button.setAccessibleDescription(why or text)
        self._actions.refresh([name for name in self.buttons if name in TICKS])
        for name in TICKS:
            if name in self.buttons:
                self.buttons[name].setChecked(self._actions.by_name[name].isChecked())

    def tell_queue(self, words: str) -> None:
        """What the queue is doing, on its button."""
        text = on_button(f"Queue: {words}" if words else "Queue", 40)
        if self.buttons["queue"].text() != text:
            self.buttons["queue"].setText(text)
            self._fit()

    def resizeEvent(self, _event: QResizeEvent) -> None:  # noqa: N802
        self._fit()

    def _fit(self) -> None:
        """Show what has room; the rest stands in the menu at the end, the least important first."""
        shown = {id(part) for _job, part in self._order}
        fixed = (
            self._field.minimumWidth()
            + 6
            + sum(self.buttons[n].sizeHint().width() + _BETWEEN for n in ("undo", "redo"))
        )

        def width() -> int:
            parts = [part for _j, part in self._order if id(part) in shown]
            room = sum(part.sizeHint().width() + _BETWEEN for part in parts)
            return room + fixed + (self.more.sizeHint().width() + _BETWEEN if out else 0)

        out: list[Job] = []
        for job in sorted((j for j in JOBS if j.words), key=lambda j: j.rank):
            if width() <= self.width():
                break
            out.append(job)
            shown.discard(id(self._part(job)))
        for job, part in self._order:
            part.setVisible(id(part) in shown if job.words else not out)
        self.more.setVisible(bool(out))
        self._more_menu.clear()
        for job in (j for j in JOBS if j in out):
            if job.does:
                self._more_menu.addAction(self._actions.by_name[job.does])
            else:
                self._more_menu.addMenu(self.menus[job.words])

    def _part(self, job: Job) -> QWidget:
        return next(part for one, part in self._order if one is job)

    def take_room(self, width: int) -> None:
        """Be as wide as that. (The menu bar asks for the hint, not for the width.)"""
        self._room = width
        self.setFixedWidth(width)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(self._room or super().sizeHint().width(), super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        return QSize(60, 22)

    def focusPolicy(self) -> Qt.FocusPolicy:  # noqa: N802
        return Qt.FocusPolicy.NoFocus
