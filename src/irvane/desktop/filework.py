"""Work on files apart from pictures' pixels: finding, previews, exposure data, proofs, brackets."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from irvane.core.errors import IrvaneError
from irvane.core.files.info import read_info
from irvane.core.files.presets import presets_folder, starting
from irvane.core.files.sets import collect, find_brackets
from irvane.core.files.sidecar import Proof, Sidecar, load_sidecar, save_sidecar, set_aside, sidecar_path
from irvane.core.files.thumbnails import preview
from irvane.core.line.jobs import Worker
from irvane.core.line.source import FileSource, Source
from irvane.core.settings import Settings

log = logging.getLogger("irvane")

#: Longest side of previews kept for rail and bench.
PREVIEW_SIDE = 1280


def unexpected(error: BaseException) -> IrvaneError:
    log.error("unexpected fault", exc_info=error)
    return IrvaneError(f"An unexpected fault ({type(error).__name__}: {error}). The log has the details.")


class FileWork(QObject):
    """A worker thread for files; signals bring its results to the window's thread.

    Signals
    -------
    learned(number, info, preview, sidecar), item_failed(number, sentence), collected(paths, problems)
    grouped(numbers, brackets), saved(number, path), said(sentence)
    """

    learned = Signal(int, object, object, object)
    item_failed = Signal(int, str)
    collected = Signal(object, object)
    grouped = Signal(object, object)
    saved = Signal(int, object)
    said = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._worker = Worker("files", unexpected, nice=4)

    def close(self) -> None:
        """End all work; what is being saved is finished first."""
        self._worker.close(finish=lambda key: key[0] == "save")

    def idle(self) -> bool:
        """True when nothing is being read or saved."""
        return self._worker.idle()

    def collect(self, paths: list[Path]) -> None:
        """Find the pictures among paths."""
        self._worker.submit(
            ("collect", *paths), lambda _p: collect(paths), lambda r: self.collected.emit(*r), self._say, 0
        )

    def learn(self, number: int, source: Source, urgency: int = 4) -> None:
        """Read preview, exposure data and proofs of an item."""

        def work(_progress: Any) -> Any:
            key = source.key
            sidecar = self._sidecar(source, key)
            info = read_info(source.paths[0])
            shown = preview(source.paths[0], PREVIEW_SIDE) if isinstance(source, FileSource) else None
            return info, shown, sidecar

        self._worker.submit(
            ("learn", number),
            work,
            lambda found: self.learned.emit(number, *found),
            lambda error: self.item_failed.emit(number, str(error)),
            urgency,
        )

    def _sidecar(self, source: Source, key: str) -> Sidecar | None:
        merge = len(source.paths) > 1
        try:
            return load_sidecar(source.paths[0], key, merge) or self._begun(merge)
        except IrvaneError as error:
            path = sidecar_path(source.paths[0], merge)
            kept = set_aside(path) if path.exists() else path
            self.said.emit(f"{error}. It was kept as {kept.name}; the frame starts with fresh settings.")
            return None

    @staticmethod
    def _begun(merge: bool) -> Sidecar | None:
        """What a frame without proofs starts with, where a preset was chosen for that."""
        preset = None if merge else starting(presets_folder())
        return None if preset is None else Sidecar((Proof("Proof 1", preset.applied(Settings())),))

    def group(self, numbers: list[int], infos: list[Any], previews: list[Any]) -> None:
        """Find brackets among items."""
        self._worker.submit(
            ("group",),
            lambda _p: find_brackets(infos, previews),
            lambda b: self.grouped.emit(numbers, b),
            self._say,
            6,
        )

    def save(self, number: int, source: Source, sidecar: Sidecar) -> None:
        """Save the proofs of an item."""
        merge = len(source.paths) > 1
        self._worker.submit(
            ("save", number),
            lambda _p: save_sidecar(sidecar, source.paths[0], source.key, merge),
            lambda path: self.saved.emit(number, path),
            self._say,
            1,
        )

    def _say(self, error: IrvaneError) -> None:
        self.said.emit(str(error))
