"""The log: our own remarks, and those that libraries would print."""

from __future__ import annotations

import logging
import logging.handlers

import platformdirs

_BYTES = 1_000_000


def start_log() -> None:
    """Keep a log in the user's state folder; without one the program runs all the same. Nothing goes to the
    error stream."""
    folder = platformdirs.user_log_path("irvane")
    handler: logging.Handler = logging.NullHandler()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = logging.handlers.RotatingFileHandler(
            folder / "irvane.log", maxBytes=_BYTES, backupCount=1, delay=True, errors="replace"
        )
    except OSError:
        pass
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    logging.captureWarnings(True)
    logging.raiseExceptions = False  # a full disk must not end in lines on the error stream
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.WARNING)
    logging.getLogger("irvane").setLevel(logging.INFO)
