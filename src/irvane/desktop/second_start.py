"""A second start hands its files to the window that is open already, through a socket in the user's state
folder."""

from __future__ import annotations

import json
import socket
from contextlib import suppress
from pathlib import Path

import platformdirs
from PySide6.QtCore import QObject, QSocketNotifier, Signal

#: Seconds to wait for the other side; bytes that a message has at most; the answer of a window.
_PATIENCE, _MOST, _TAKEN = 2.0, 4_000_000, b"taken"


def socket_path() -> Path:
    """Where the window listens."""
    return platformdirs.user_state_path("irvane") / "window.socket"


def hand_over(paths: list[Path]) -> bool:
    """Give paths to the window of this user; False when none listens."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as one, suppress(OSError):
        one.settimeout(_PATIENCE)
        one.connect(str(socket_path()))
        one.sendall(json.dumps([str(path.absolute()) for path in paths]).encode())
        one.shutdown(socket.SHUT_WR)
        return one.recv(len(_TAKEN)) == _TAKEN
    return False


class Listener(QObject):
    """Listens for later starts; where that is not possible (no such sockets there) they open windows of their
    own.

    Signals
    -------
    handed(paths) : a later start was asked to open these, maybe none.
    """

    handed = Signal(object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._socket: socket.socket | None = None
        listening = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        try:
            socket_path().parent.mkdir(parents=True, exist_ok=True)
            socket_path().unlink(missing_ok=True)  # nobody answered there
            listening.bind(str(socket_path()))
            socket_path().chmod(0o600)
            listening.listen(8)
            listening.setblocking(False)
        except OSError:
            listening.close()
            return
        self._socket = listening
        self._notifier = QSocketNotifier(listening.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._take)

    def _take(self) -> None:
        assert self._socket is not None
        with suppress(OSError, ValueError):
            one, _ = self._socket.accept()
            with one:
                one.settimeout(0.03)  # it is sent at once; the window must not wait
                told = b""
                while (part := one.recv(65_536)) and len(told) < _MOST:
                    told += part
                paths = json.loads(told)
                if isinstance(paths, list) and all(isinstance(path, str) for path in paths):
                    one.sendall(_TAKEN)
                    self.handed.emit([Path(path) for path in paths])

    def close(self) -> None:
        """Listen no more."""
        if self._socket is not None:
            self._notifier.setEnabled(False)
            self._socket.close()
            self._socket = None
            with suppress(OSError):
                socket_path().unlink()
