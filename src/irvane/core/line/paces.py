"""How long steps take on this machine, by what was measured here; kept for the next start."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import platformdirs

from irvane.core.errors import ReadError, WriteError
from irvane.core.store.atomic import atomic_file, make_folder
from irvane.core.store.small import read_small

#: Bytes of what is kept, at most; weight of what is measured now beside what was known.
_LARGEST, _NEW = 100_000, 0.5
#: Pictures smaller than this (megapixels) tell little of a pace.
_SMALLEST = 0.3


def stage_paces_path() -> Path:
    """Where the user's are kept."""
    return platformdirs.user_state_path("irvane") / "stages.json"


class Paces:
    """Seconds per megapixel, by kind of work.

    Parameters
    ----------
    path : where they are kept; None: only as long as the program runs.
    """

    def __init__(self, path: Path | None = None) -> None:
        self._path = path
        self.values: dict[str, float] = {}
        with suppress(ReadError, ValueError, TypeError, AttributeError):
            data = json.loads((read_small(path, _LARGEST) if path is not None else None) or b"{}")
            self.values = {
                str(kind): float(pace)
                for kind, pace in data.items()
                if isinstance(pace, int | float) and pace > 0
            }

    def seconds(self, kind: str, megapixels: float) -> float | None:
        """What a kind of work on so many megapixels takes; None where it was never measured here."""
        pace = self.values.get(kind)
        return None if pace is None else pace * megapixels

    def note(self, kind: str, seconds: float, megapixels: float) -> None:
        """It took so long."""
        if megapixels < _SMALLEST or seconds <= 0:
            return
        pace, known = seconds / megapixels, self.values.get(kind)
        self.values[kind] = pace if known is None else known + _NEW * (pace - known)
        if self._path is None:
            return
        with suppress(OSError, WriteError):  # it is measured again then
            make_folder(self._path.parent)
            with atomic_file(self._path, synced=False) as temporary:
                temporary.write_text(json.dumps(self.values), "utf-8")

    @contextmanager
    def timing(self, kind: str, extent: tuple[int, int]) -> Iterator[None]:
        """What is done inside is a kind of work on a picture of that height and width; what fails tells
        nothing."""
        began = time.monotonic()
        yield
        self.note(kind, time.monotonic() - began, extent[0] * extent[1] / 1e6)
