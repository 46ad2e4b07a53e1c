"""Work on files apart from pictures' pixels: finding, previews, exposure data, proofs, brackets."""

from __future__ import annotations

import logging
from collections import deque
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.errors import IrvaneError, ReadError, WriteError
from irvane.core.files.aside import set_aside
from irvane.core.files.benches import KeptBench
from irvane.core.files.collecting import collect
from irvane.core.files.frame_sets import find_sets
from irvane.core.files.info import FrameInfo, read_info
from irvane.core.files.preferences import NewFrames
from irvane.core.files.proofs import Sidecar, merged, with_identities
from irvane.core.files.remembered import begun
from irvane.core.files.sets import find_pairs
from irvane.core.files.sidecar import NewerSidecarError, Saved, load_sidecar, save_sidecar, stranger
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


@dataclass(frozen=True)
class _Sent:
    """Proofs to be saved, with the names of those that were removed by their identities."""

    source: Source
    sidecar: Sidecar
    removed: dict[str, str]

    def after(self, before: _Sent, made: Saved) -> tuple[Sidecar, dict[str, str]]:
        """The same changes, done to what came of saving what was sent before."""
        old, new = (with_identities(one.sidecar, made.renamed) for one in (before, self))
        removed = {made.renamed.get(id, id): name for id, name in self.removed.items()}
        return merged(old, new, made.sidecar, removed).sidecar, removed


class FileWork(QObject):
    """A worker thread for files; signals bring its results to the window's thread.

    Signals
    -------
    learned(number, info, preview, sidecar, locked), item_failed(number, sentence), collected(paths, problems)
    grouped(numbers, brackets, pairs), measured(number, figures) : for choosing. fresh(number) : an item
    without proofs was read (after `learned`). developed(number, settings, small picture) : how it looks under
    them. sharpened(number, small picture) : in place of a thumbnail. decided(number, Decision) : what it is
    to begin with. saved(number, sent, made) : proofs that were sent were saved, as Saved tells.
    said(sentence)
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
    _result = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._worker = Worker("files", unexpected, nice=4)
        self._measurer = Worker("measure", unexpected, nice=12)
        self._thumbs = ThumbStore()
        self._read = 0
        self._closed = False
        #: By item: what is on disk as far as was heard, what is being saved, what waits until then, what
        #: could not be saved.
        self._heard: dict[int, Sidecar] = {}
        self._sent: dict[int, _Sent] = {}
        self._next: dict[int, _Sent] = {}
        self._unsaved: dict[int, _Sent] = {}
        #: What came of saving, until it is told in the window's thread.
        self._results: deque[tuple[int, Saved | IrvaneError]] = deque()
        self._result.connect(self._tell_results)
        again = QTimer(self, interval=1000 * _AGAIN)
        again.timeout.connect(self._try_again)
        again.start()

    def close(self) -> None:
        """End all work; what is being saved is finished first, and what waits for that is saved then."""
        self._measurer.close()
        self._worker.close(finish=lambda key: key[0] == "save")
        self._closed = True
        self._tell_results()

    def idle(self) -> bool:
        """True when nothing is being read or saved."""
        return self._worker.idle() and self._measurer.idle() and not self._sent

    def collect(self, paths: list[Path]) -> None:
        """Find the pictures among paths."""
        self._worker.submit(
            ("collect", *paths), lambda _p: collect(paths), lambda r: self.collected.emit(*r), self._say, 0
        )

    def learn(self, number: int, source: Source, urgency: int = 4) -> None:
        """Read preview, exposure data and proofs of an item."""

        def work(_progress: Any) -> Any:
            key = source.key
            sidecar, locked, saved_before = self._sidecar(source, key)
            info = read_info(source.paths[0])
            shown, sharp = self._small(source, key)
            proof = sidecar.proofs[sidecar.current].settings if sidecar is not None else None
            own = self._thumbs.own(key, proof) if proof is not None else None
            return (info, shown, sidecar, locked), sharp, (proof, own), saved_before

        def tell(told: Any) -> None:
            found, sharp, (proof, own), saved_before = told
            self.learned.emit(number, *found)
            if not sharp:
                self.sharpen(number, source)
            if own is not None:
                self.developed.emit(number, proof, own)
            if not saved_before and not found[3]:
                self.fresh.emit(number)

        self._worker.submit(
            ("learn", number),
            work,
            tell,
            lambda error: self.item_failed.emit(number, str(error)),
            urgency,
        )

    def _small(self, source: Source, key: str) -> tuple[Preview | None, bool]:
        """The small picture of a source, and whether it is as sharp as it will be: a JPEG's own thumbnail
        comes first."""
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
        """Make the small picture of a development (uint8 H×W×3, sRGB), and keep it for the next start;
        `developed` tells."""

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

    def _sidecar(self, source: Source, key: str) -> tuple[Sidecar | None, str, bool]:
        """The proofs of a source, why they cannot be changed (empty: they can), and whether they were saved
        before."""
        frame, merge = source.paths[0], len(source.paths) > 1
        try:
            found = load_sidecar(frame, key, merge)
        except NewerSidecarError as error:
            return None, f"{error}. Its proofs are left as they are; changes here are not kept", True
        except ReadError as error:
            self._put_aside(error)
            return None, "", False
        if found is not None:
            return found, "", True
        other = None if merge else stranger(frame, key)
        if other is not None:
            self.said.emit(
                f"{other.name} holds the settings of another picture that had this name; they were not "
                f"taken over."
            )
        return begun(frame, merge), "", False

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
        """Find pairs of raw and finished pictures among items, and sets among all but their second halves."""

        def work(_progress: Any) -> Any:
            pairs = find_pairs(paths, infos)
            second = {other for _, other in pairs}
            single = [place for place in range(len(paths)) if place not in second]
            found = find_sets(
                [paths[k] for k in single],
                [infos[k] for k in single],
                Pictures([previews.previews[k] for k in single]),
            )
            return [one.among(single) for one in found], pairs

        self._worker.submit(("group",), work, lambda b: self.grouped.emit(numbers, *b), self._say, 6)

    def keep_bench(self, kept: KeptBench, path: Path) -> None:
        """Keep what stands on the bench; nothing of the pictures depends on it."""
        self._worker.submit(
            ("bench",),
            lambda _p: kept.save(path),
            lambda _none: None,
            lambda error: log.info("bench not kept: %s", error),
            6,
        )

    def measure(self, number: int, source: Source) -> None:
        """Read the figures of a whole frame that frames are chosen by."""
        self._measurer.submit(
            ("measure", number),
            lambda progress: measure_source(source, progress),
            lambda found: self.measured.emit(number, found),
            lambda error: log.info("not measured: %s", error),
            6,
        )

    def stop_measuring(self) -> None:
        """Read no further figures for choosing."""
        self._measurer.cancel(lambda key: key[0] == "measure")

    def decide(
        self, number: int, source: Source, base: Settings, how: NewFrames, rules: bool = False
    ) -> None:
        """Decide what a frame is to begin with; with `rules` by the shipped ones where nothing else is
        chosen."""
        self._measurer.submit(
            ("decide", number),
            lambda progress: decide(source, base, how, progress, rules),
            lambda found: self.decided.emit(number, found),
            self._say,
            5,
        )

    def heard(self, number: int, there: Sidecar) -> None:
        """What an item's owner takes to be on disk: its next changes are changes of that."""
        self._heard[number] = there

    def save(self, number: int, source: Source, sidecar: Sidecar, removed: dict[str, str]) -> None:
        """Save the proofs of an item; what fails is tried again until it works or all is closed.

        One save of an item runs at a time, and the next one begins with what came of it.

        Parameters
        ----------
        removed : names of the proofs that were removed here, by their identities.
        """
        sent = _Sent(source, sidecar, removed)
        if number in self._sent:
            self._next[number] = sent
            return
        self._sent[number] = sent
        base = self._heard.get(number)

        def work(_progress: Any = None) -> Saved:
            return save_sidecar(sidecar, source.paths[0], source.key, len(source.paths) > 1, base, removed)

        def told(result: Saved | IrvaneError) -> None:
            self._results.append((number, result))
            self._result.emit()

        if not self._closed:
            self._worker.submit(("save", number), work, told, told, 1)
            return
        try:
            self._results.append((number, work()))
        except IrvaneError as error:
            self._results.append((number, error))

    def _tell_results(self) -> None:
        """Let it be heard what came of saving, and go on with what waited for that."""
        while self._results:
            number, result = self._results.popleft()
            sent, later = self._sent.pop(number), self._next.pop(number, None)
            if isinstance(result, Saved):
                self._unsaved.pop(number, None)
                self._heard[number] = result.sidecar
                self.saved.emit(number, sent.sidecar, result)
                if later is not None and number not in self._sent:  # nothing newer is on its way
                    self.save(number, later.source, *later.after(sent, result))
            elif isinstance(result, WriteError):
                self._unsaved[number] = later or sent
                self.said.emit(
                    f"{result}. The settings are not saved yet; it is tried again every {_AGAIN} s."
                )
            else:
                self.said.emit(str(result))

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
        for number, sent in list(self._unsaved.items()):
            self.save(number, sent.source, sent.sidecar, sent.removed)

    def unsaved(self) -> int:
        """How many items have proofs that could not be saved."""
        return len(self._unsaved)

    def _say(self, error: IrvaneError) -> None:
        self.said.emit(str(error))
