"""Starting the window."""

from __future__ import annotations

import logging
import logging.handlers
import sys
from pathlib import Path

import platformdirs
from PySide6.QtWidgets import QApplication

from irvane.core.line.warm import is_warm
from irvane.core.simulate.demo import demo_folder
from irvane.desktop import theme
from irvane.desktop.screen import SCREEN
from irvane.desktop.tidying import Tidying
from irvane.desktop.window import Window

_LOG_BYTES = 1_000_000


def start_log() -> None:
    """Keep a log in the user's state folder; without one the program runs all the same."""
    folder = platformdirs.user_log_path("irvane")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = logging.handlers.RotatingFileHandler(
            folder / "irvane.log", maxBytes=_LOG_BYTES, backupCount=1
        )
    except OSError:
        return
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    logging.getLogger("irvane").addHandler(handler)
    logging.getLogger("irvane").setLevel(logging.INFO)


def _is_first_start() -> bool:
    """True once per user; a folder that cannot be written counts as started before."""
    mark = platformdirs.user_state_path("irvane") / "started"
    if mark.exists():
        return False
    try:
        mark.parent.mkdir(parents=True, exist_ok=True)
        mark.touch()
    except OSError:
        return False
    return True


def run(paths: list[Path]) -> int:
    """Open the window on files and folders; returns the exit code."""
    # worker threads must hand over quickly: the window's thread waits for the interpreter at most this long
    sys.setswitchinterval(0.001)
    start_log()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("irvane")
    app.setApplicationDisplayName("Irvane")
    theme.apply(app)
    SCREEN.remembered()
    window = Window()
    Tidying(window.backstage.idle, window)
    window.show()
    if not is_warm():
        window.writing.prepare()
    if demo_folder() in paths:
        window.path.show()
    if paths:
        window.opening.open(paths)
    elif _is_first_start():
        window.writing.make_demo()
    return app.exec()
