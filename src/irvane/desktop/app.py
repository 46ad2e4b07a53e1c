"""Starting the window."""

from __future__ import annotations

import os
import socket
import sys
from collections.abc import Mapping
from pathlib import Path

import platformdirs
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from irvane.core.files.benches import last_path
from irvane.core.simulate.folder import demo_folder
from irvane.desktop import theme
from irvane.desktop.idle_collection import IdleCollection
from irvane.desktop.screen import SCREEN
from irvane.desktop.second_start import Listener
from irvane.desktop.window import Window
from irvane.logs import start_log
from irvane.warm import is_warm


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


def _reachable(kind: int, address: str | bytes | tuple[str, int]) -> bool:
    with socket.socket(kind, socket.SOCK_STREAM) as one:
        one.settimeout(2)
        try:
            one.connect(address)
        except OSError:
            return False
    return True


def display_problem(environment: Mapping[str, str]) -> str:
    """Why no window can be shown; empty when one can (Qt would end the process without a word of ours)."""
    if environment.get("QT_QPA_PLATFORM", "") not in ("", "xcb", "wayland"):
        return ""
    wayland = environment.get("WAYLAND_DISPLAY", "")
    if wayland and _reachable(
        socket.AF_UNIX, str(Path(environment.get("XDG_RUNTIME_DIR", "/nowhere")) / wayland)
    ):
        return ""
    display = environment.get("DISPLAY", "")
    host, _, rest = display.rpartition(":")
    number = rest.partition(".")[0]
    if not wayland and not display:
        return "there is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set); “irvane --help” lists what works without one"
    if host not in ("", "unix") or not number.isdigit():
        return ""  # another machine's: Qt knows
    path = f"/tmp/.X11-unix/X{number}"
    if _reachable(socket.AF_UNIX, path) or _reachable(socket.AF_UNIX, b"\0" + path.encode()):
        return ""
    return f"the screen {display or wayland} cannot be reached; “irvane --help” lists what works without one"


def _take(window: Window, paths: list[Path]) -> None:
    """A later start: its files in this window."""
    window.opening.open(paths, show=True)
    if window.isMinimized():
        window.showNormal()
    window.raise_()
    window.activateWindow()


def run(paths: list[Path], result: Path | None = None, overwrite: bool = False, demo: bool = False) -> int:
    """Open the window on files and folders; returns the exit code. With `demo`, the rest of the demo pictures
    is made.

    With a result, the window closes once a proof was written there; the code is 1 when it was closed without.
    """
    problem = "" if QApplication.instance() else display_problem(os.environ)
    if problem:
        print(f"irvane: {problem}", file=sys.stderr)
        return 1
    # worker threads must hand over quickly: the window's thread waits for the interpreter at most this long
    sys.setswitchinterval(0.001)
    start_log()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("irvane")
    app.setApplicationDisplayName("Irvane")
    app.setDesktopFileName("irvane")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "icons" / "irvane.svg")))
    theme.apply(app)
    SCREEN.remembered()
    window = Window()
    IdleCollection(window.service.idle, window)
    window.show()
    window.appearance.moved_to(window.screen())
    window.windowHandle().screenChanged.connect(window.appearance.moved_to)
    listener = Listener(window) if result is None else None
    if listener is not None:
        listener.handed.connect(lambda handed: _take(window, handed))
    rest = window.writing.make_demo if demo else None
    if not is_warm():
        window.writing.prepare(rest)
    elif rest is not None:
        rest()
    if demo_folder() in paths:
        window.path.show()
    if paths:
        window.opening.open(paths)
    elif result is None and _is_first_start() and not last_path().exists():
        window.writing.make_demo()
    if result is not None:
        window.coming_back.keeps = False
        window.writing.answered.connect(window.close)
        window.writing.answer(result, overwrite)
    code = app.exec()
    if listener is not None:
        listener.close()
    return code if result is None or window.writing.has_answered else 1
