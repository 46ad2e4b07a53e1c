"""Work on files apart from pictures' pixels: finding, previews, exposure data, proofs, brackets."""

from __future__ import annotations

import logging
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.errors import IrvaneError, ReadError, WriteError
from irvane.core.files.info import FrameInfo, read_info
from irvane.core.files.preferences import NewFrames
from irvane.core.files.proofs import Sidecar
from irvane.core.files.remembered import begun
from irvane.core.files.sets import collect, find_brackets, find_pairs
from irvane.core.files.sidecar import (
    NewerSidecarError,
    Saved,
    load_sidecar,
    save_sidecar,
    set_aside,
    stranger,
)
from irvane.core.files.thumb_store import SIDE, ThumbStore
from irvane.core.files.thumbnails import Pictures, Preview, exif_preview
from irvane.core.files.xmp_rating import write_rating
from irvane.core.judge.automatic import decide
from irvane.core.judge.measured import measure_source
from irvane.core.line.jobs import Worker
from irvane.core.line.source import FileSource, Source
from irvane.core.memory import trim_heap
from irvane.core.settings import Settings

log = logging.getLogger("irvane")

#: Seconds after which settings that could not be saved are tried again.
_AGAIN = 15
#: Frames after whose previews memory goes back to the system.
_TRIM = 40


def unexpected(error: BaseException) -> IrvaneError:
    log.error("unexpected fault", exc_info=error)
    return IrvaneError(f"An unexpected fault ({type(error).__name__}: {error}). The log has the details.")


class FileWork(QObject):
    """A worker thread for files; signals bring its results to the window's thread.

    Signals
    -------
    learned(number, info, preview, sidecar, locked), item_failed(number, sentence), collected(paths, problems)
    grouped(numbers, brackets, pairs), measured(number, figures) : for choosing. fresh(number) : an item
    without proofs was read (after `learned`). developed(number, settings, small picture) : how it looks under them. sharpened(number, small picture) : in place of a thumbnail. decided(number, Decision) : what it is to begin with. saved(number, sent, made) : proofs that were sent were saved, as Saved tells. said(sentence)
    """

    learned = Signal(int, object, object, object, str)
    item_failed = Signal(int, str)
    collected = Signal(object, object)
    grouped = Signal(object, object, object)
    measured = Signal(int, object)
    fresh = Signal(int)
    developed = Signal(int, object, object)
    sharpened = Signal(int, object)
    decided = Signal(int, object)
    saved = Signal(int, object, object)
    said = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._worker = Worker("files", unexpected, nice=4)
        self._measurer = Worker("measure", unexpected, nice=12)
        self._thumbs = ThumbStore()
        self._read = 0
        #: By item: what is on disk as far as is known here, and what could not be saved.
        self._saved: dict[int, Sidecar] = {}
        self._unsaved: dict[int, tuple[Source, Sidecar]] = {}
        again = QTimer(self, interval=1000 * _AGAIN)
        again.timeout.connect(self._try_again)
        again.start()

    def close(self) -> None:
        """End all work; what is being saved is finished first."""
        self._measurer.close()
        self._worker.close(finish=lambda key: key[0] == "save")

    def idle(self) -> bool:
        """True when nothing is being read or saved."""
        return self._worker.idle() and self._measurer.idle()

    def collect(self, paths: list[Path]) -> None:
        """Find the pictures among paths."""
        self._worker.submit(
            ("collect", *paths), lambda _p: collect(paths), lambda r: self.collected.emit(*r), self._say, 0
        )

    def learn(self, number: int, source: Source, urgency: int = 4) -> None:
        """Read preview, exposure data and proofs of an item."""

        def work(_progress: Any) -> Any:
            key = source.key
            sidecar, locked = self._sidecar(number, source, key)
            info = read_info(source.paths[0])
            shown, sharp = self._small(source, key)
            proof = sidecar.proofs[sidecar.current].settings if sidecar is not None else None
            own = self._thumbs.own(key, proof) if proof is not None else None
            return (info, shown, sidecar, locked), sharp, (proof, own)

        def tell(told: Any) -> None:
            found, sharp, (proof, own) = told
            self.learned.emit(number, *found)
            if not sharp:
                self.sharpen(number, source)
            if own is not None:
                self.developed.emit(number, proof, own)
            if number not in self._saved and not found[3]:
                self.fresh.emit(number)

        self._worker.submit(
            ("learn", number),
            work,
            tell,
            lambda error: self.item_failed.emit(number, str(error)),
            urgency,
        )

    def _small(self, source: Source, key: str) -> tuple[Preview | None, bool]:
        """The small picture of a source, and whether it is as sharp as it will be: a JPEG's own thumbnail comes first."""
        if not isinstance(source, FileSource):
            return None, True
        frame = source.paths[0]
        self._read += 1
        if self._read % _TRIM == 0:
            trim_heap()
        found = self._thumbs.kept(key)
        quick = exif_preview(frame) if found is None else None
        return (quick, False) if quick is not None else (found or self._thumbs.get(frame, key), True)

    def sharpen(self, number: int, source: Source, urgency: int = 7) -> None:
        """Make the small picture of a frame that shows its thumbnail until then; `sharpened` tells."""
        self._worker.submit(
            ("sharpen", number),
            lambda _p: self._thumbs.get(source.paths[0], source.key),
            lambda made: self.sharpened.emit(number, made),
            lambda _error: None,
            urgency,
        )

    def sharpen_first(self, number: int, source: Source) -> None:
        """This one before the others, where it still waits."""
        if self._worker.has(("sharpen", number)):
            self.sharpen(number, source, 3)

    def keep_developed(
        self, number: int, source: Source, settings: Settings, pixels: np.ndarray, extent: tuple[int, int]
    ) -> None:
        """Make the small picture of a development (uint8 H×W×3, sRGB), and keep it for the next start; `developed` tells."""

        def work(_progress: Any) -> Preview:
            made = Preview.of(pixels, extent, SIDE)
            self._thumbs.keep_own(source.key, settings, made)
            return made

        self._worker.submit(
            ("developed", number),
            work,
            lambda made: self.developed.emit(number, settings, made),
            self._say,
            5,
        )

    def _sidecar(self, number: int, source: Source, key: str) -> tuple[Sidecar | None, str]:
        """The proofs of a source, and why they cannot be changed (empty: they can)."""
        frame, merge = source.paths[0], len(source.paths) > 1
        try:
            found = load_sidecar(frame, key, merge)
        except NewerSidecarError as error:
            return None, f"{error}. Its proofs are left as they are; changes here are not kept"
        except ReadError as error:
            self._put_aside(error)
            return None, ""
        if found is not None:
            self._saved[number] = found
            return found, ""
        other = None if merge else stranger(frame, key)
        if other is not None:
            self.said.emit(
                f"{other.name} holds the settings of another picture that had this name; they were not taken over."
            )
        return begun(frame, merge), ""

    def _put_aside(self, error: ReadError) -> None:
        try:
            kept = set_aside(error.path)
        except WriteError as problem:
            self.said.emit(
                f"{error}. It stays where it is ({problem.reason}); the frame starts with fresh settings."
            )
        else:
            self.said.emit(f"{error}. It was kept as {kept.name}; the frame starts with fresh settings.")

    def group(
        self, numbers: list[int], paths: list[Path], infos: list[FrameInfo], previews: Pictures
    ) -> None:
        """Find pairs of raw and finished pictures among items, and brackets among all but their second halves."""

        def work(_progress: Any) -> Any:
            pairs = find_pairs(paths, infos)
            second = {other for _, other in pairs}
            single = [place for place in range(len(paths)) if place not in second]
            found = find_brackets(
                [infos[k] for k in single], Pictures([previews.previews[k] for k in single])
            )
            brackets = [replace(one, members=tuple(single[k] for k in one.members)) for one in found]
            return brackets, pairs

        self._worker.submit(("group",), work, lambda b: self.grouped.emit(numbers, *b), self._say, 6)

    def measure(self, number: int, source: Source) -> None:
        """Read the figures of a whole frame that frames are chosen by."""
        self._measurer.submit(
            ("measure", number),
            lambda progress: measure_source(source, progress),
            lambda found: self.measured.emit(number, found),
            lambda error: log.info("not measured: %s", error),
            6,
        )

    def decide(self, number: int, source: Source, base: Settings, how: NewFrames) -> None:
        """Decide what a frame is to begin with."""
        self._measurer.submit(
            ("decide", number),
            lambda progress: decide(source, base, how, progress),
            lambda found: self.decided.emit(number, found),
            self._say,
            5,
        )

    def save(self, number: int, source: Source, sidecar: Sidecar) -> None:
        """Save the proofs of an item; what fails is tried again until it works or all is closed."""
        merge = len(source.paths) > 1

        def work(_progress: Any) -> Saved:
            # noted here, not when it is told: a newer save may have taken this one's place by then
            made = save_sidecar(sidecar, source.paths[0], source.key, merge, self._saved.get(number))
            self._saved[number] = made.sidecar
            self._unsaved.pop(number, None)
            return made

        def failed(error: IrvaneError) -> None:
            if isinstance(error, WriteError):
                self._unsaved[number] = source, sidecar
                self.said.emit(
                    f"{error}. The settings are not saved yet; it is tried again every {_AGAIN} s."
                )
            else:
                self.said.emit(str(error))

        self._worker.submit(
            ("save", number), work, lambda made: self.saved.emit(number, sidecar, made), failed, 1
        )

    def rate(self, frames: list[tuple[Path, str, int]]) -> None:
        """Write marks and stars as XMP beside frames; says how many, and the first that failed."""

        def work(_progress: Any) -> str:
            failed: list[str] = []
            for frame, mark, stars in frames:
                try:
                    write_rating(frame, mark, stars)
                except WriteError as error:
                    failed.append(str(error))
            done = len(frames) - len(failed)
            told = f"Ratings of {done} frame{'' if done == 1 else 's'} are beside them as XMP."
            return told if not failed else f"{failed[0]}; {len(failed)} failed. {told}"

        self._worker.submit(("rate",), work, self.said.emit, self._say, 2)

    def _try_again(self) -> None:
        for number, (source, sidecar) in list(self._unsaved.items()):
            self.save(number, source, sidecar)

    def unsaved(self) -> int:
        """How many items have proofs that could not be saved."""
        return len(self._unsaved)

    def _say(self, error: IrvaneError) -> None:
        self.said.emit(str(error))
