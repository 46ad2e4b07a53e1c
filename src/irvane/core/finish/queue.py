"""Running the queue: entry by entry, each whole or not at all, each exactly once."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from irvane.core.errors import Cancelled, IrvaneError, WriteError
from irvane.core.files.info import FrameInfo
from irvane.core.finish import job
from irvane.core.finish.destination import Destination
from irvane.core.finish.estimates import learn
from irvane.core.finish.journal import DONE, FAILED, RUNNING, SKIPPED, WAITING, Entry, Journal
from irvane.core.finish.naming import Named, file_name, free_path
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource, Source
from irvane.core.memory import trim_heap
from irvane.core.progress import Progress, always
from irvane.core.store.atomic import announcing, make_folder

#: Developed forms that are there already, asked for before they are made.
Ready = Callable[[Source, Entry, Progress], tuple[Developed, Context] | None]


def source_of(entry: Entry) -> Source:
    """What an entry is made from."""
    paths = [Path(path) for path in entry.paths]
    return MergeSource(paths, MergeOptions.from_dict(entry.merge)) if len(paths) > 1 else FileSource(paths[0])


def target_of(source: Source, how: Destination, proof: str, number: int) -> Path | None:
    """Where a file goes; None where one of its name exists that is to be left.

    Raises
    ------
    WriteError, SettingError
    """
    frame = source.paths[0]
    info = getattr(source, "info", FrameInfo())
    folder = how.folder_for(frame)
    make_folder(folder)
    # several proofs of a frame are told apart where the pattern does not
    pattern = how.pattern if not proof or "{proof}" in how.pattern else how.pattern + "-{proof}"
    stem = frame.with_name(f"{frame.stem}-merged{frame.suffix}") if len(source.paths) > 1 else frame
    name = file_name(pattern, Named(stem, proof, number, info, how.name), how.ending)
    path = folder / name
    if how.existing == "skip" and path.exists():
        return None
    return path if how.existing == "replace" else free_path(folder, name)


def write_entry(
    journal: Journal, entry: Entry, progress: Progress = always, ready: Ready = lambda _s, _e, _p: None
) -> Entry:
    """Write one entry and note what came of it; its failure is noted, not raised.

    Raises
    ------
    Cancelled
        When `progress` returns False; the entry waits again then.
    WriteError
        When the journal itself cannot be written.
    """
    began = time.monotonic()
    journal.tell(entry, RUNNING)
    try:
        source = source_of(entry)
        path = target_of(source, entry.how, entry.proof, entry.number)
        if path is None:
            journal.tell(entry, SKIPPED, reason="a file of that name exists")
            return _now(journal, entry)
        target = job.Target(path, overwrite=entry.how.existing == "replace", how=entry.how)
        made = ready(source, entry, progress)
        with announcing(lambda temporary, final: journal.intend(entry, temporary, final)):
            written = job.run(source, entry.settings, target, progress, made)
        seconds = round(time.monotonic() - began, 2)
        journal.tell(entry, DONE, written=str(written.path), reason=" ".join(written.notes), seconds=seconds)
        learn(entry, written.path, seconds)
    except Cancelled:
        journal.tell(entry, WAITING)
        raise
    except WriteError as error:
        if error.path == journal.path:
            raise
        journal.tell(entry, FAILED, reason=str(error))
    except IrvaneError as error:
        journal.tell(entry, FAILED, reason=str(error))
    except MemoryError:
        journal.tell(entry, FAILED, reason=f"{entry.paths[0]}: there is not enough memory for this picture")
    except Exception as error:  # one damaged file must not stop the others
        journal.tell(
            entry, FAILED, reason=f"{entry.paths[0]}: an unexpected fault ({type(error).__name__}: {error})"
        )
    trim_heap()  # what one frame took must not add to the next one's
    return _now(journal, entry)


def _now(journal: Journal, entry: Entry) -> Entry:
    return next((one for one in journal.entries() if one.id == entry.id), entry)


def next_waiting(journal: Journal) -> Entry | None:
    """The entry to be written next."""
    return next((one for one in journal.entries() if one.state == WAITING), None)


def run_queue(
    journal: Journal, told: Callable[[Entry], None] = lambda _e: None, progress: Progress = always
) -> tuple[int, int]:
    """Write all that waits; returns how many were written and how many failed. Nothing where somebody else
    runs it.

    Raises
    ------
    Cancelled, WriteError
    """
    done = failed = 0
    with journal.running() as mine:
        if not mine:
            return 0, 0
        journal.make_good()
        while (entry := next_waiting(journal)) is not None:
            now = write_entry(journal, entry, progress)
            told(now)
            done += now.state in (DONE, SKIPPED)
            failed += now.state == FAILED
    return done, failed
