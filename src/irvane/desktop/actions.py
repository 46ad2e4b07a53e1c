"""Commands as actions with shortcuts; the menus made of them, and the list of keys.

A command whose conditions do not hold is greyed in its menu, with the reason on hover. Its key says the same
reason.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence, QUndoStack
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLabel, QMenu, QVBoxLayout, QWidget

from irvane.desktop.commands import COMMANDS, HELD, MENUS, Command
from irvane.desktop.conditions import TICKS, reason
from irvane.desktop.whole import Whole

BY_NAME = {command.name: command for command in COMMANDS}


class Actions:
    """The actions of a window, by name, and menus made of them.

    Attributes
    ----------
    by_name : every command's action.
    """

    def __init__(self, window: Whole, targets: dict[str, Callable[[], object]]) -> None:
        """Every command needs a target; a missing one raises KeyError."""
        self._window = window
        self.by_name: dict[str, QAction] = {}
        for command in COMMANDS:
            action = QAction(command.words, window)
            action.setShortcut(QKeySequence(command.keys))
            if command.name == "closer":
                action.setShortcuts([QKeySequence("+"), QKeySequence("=")])
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
            action.setToolTip(command.help or command.words)
            action.setCheckable(command.name in TICKS)
            action.triggered.connect(partial(self._run, command, targets[command.name]))
            window.addAction(action)
            self.by_name[command.name] = action
        self._fill_menu_bar()

    def _run(self, command: Command, target: Callable[[], object], _checked: bool = False) -> None:
        why = self.reason(command.name)
        if why:
            self._window.say(why)
        else:
            target()
        self.refresh([command.name])

    def reason(self, name: str) -> str:
        """Why a command cannot be done now; empty where it can."""
        return reason(self._window, BY_NAME[name].needs)

    def stack(self) -> QUndoStack:
        """The changes that can be taken back."""
        return self._window.session.undo

    def refresh(self, names: list[str]) -> None:
        """Set the ticks of some commands as things are."""
        for name in names:
            if name in TICKS:
                self.by_name[name].setChecked(TICKS[name](self._window))

    def menu(self, title: str, names: list[str], parent: QWidget | None = None) -> QMenu:
        """A menu of commands; an empty name draws a line."""
        menu = QMenu(title, parent or self._window)
        for name in names:
            if name:
                menu.addAction(self.by_name[name])
            else:
                menu.addSeparator()
        self.watch(menu)
        return menu

    def watch(self, menu: QMenu) -> None:
        """Grey, tick and explain the commands of a menu each time it opens."""
        menu.setToolTipsVisible(True)
        menu.aboutToShow.connect(partial(self._show_state, menu))
        # greyed actions would take their keys along: those go on to say the reason
        menu.aboutToHide.connect(partial(self._free, menu))

    def _named(self, menu: QMenu) -> list[tuple[str, QAction]]:
        shown = menu.actions()
        return [(name, action) for name, action in self.by_name.items() if action in shown]

    def _show_state(self, menu: QMenu) -> None:
        for name, action in self._named(menu):
            why = self.reason(name)
            action.setEnabled(not why)
            action.setToolTip(why or BY_NAME[name].help or BY_NAME[name].words)
            if name in TICKS:
                action.setChecked(TICKS[name](self._window))
        for name in ("undo", "redo"):
            stack, action = self._window.session.undo, self.by_name[name]
            text = stack.undoText() if name == "undo" else stack.redoText()
            action.setText(f"{BY_NAME[name].words}: {text}" if text else BY_NAME[name].words)

    def _free(self, menu: QMenu) -> None:
        for _name, action in self._named(menu):
            action.setEnabled(True)

    def _fill_menu_bar(self) -> None:
        menus: dict[str, QMenu] = {}
        groups: dict[str, str] = {}
        for title in MENUS:
            menus[title] = self._window.menuBar().addMenu(title)
        for command in COMMANDS:
            path = command.menu
            if path not in menus:
                above, _, title = path.partition("/")
                self._begin_group(menus[above], groups, above, title)
                menus[path] = menus[above].addMenu(title)
            self._begin_group(menus[path], groups, path, command.group)
            menus[path].addAction(self.by_name[command.name])
        for menu in menus.values():
            self.watch(menu)
        self.menus = menus

    @staticmethod
    def _begin_group(menu: QMenu, groups: dict[str, str], path: str, group: str) -> None:
        if groups.get(path, group) != group:
            menu.addSeparator()
        groups[path] = group


class KeysDialog(QDialog):
    """The list of all keys."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(1)
        lines = [
            (c.keys.replace("+", " + ") if len(c.keys) > 1 else c.keys or "in the menu", c.words)
            for c in COMMANDS
        ] + list(HELD)
        third = -(-len(lines) // 3)
        for number, (keys, words) in enumerate(lines):
            column = 2 * (number // third)
            key = QLabel(keys)
            key.setObjectName("muted")
            grid.addWidget(key, number % third, column)
            grid.addWidget(QLabel(words), number % third, column + 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(buttons)
