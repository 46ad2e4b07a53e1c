"""The queue's journal: what is to be written, what is being written, what came of it; it survives a crash at
any moment.

A file of lines, each a JSON object, only ever appended to and synced to the disk before what it tells is
done. What a crash left half written at its end is ignored. Several processes may append; one at a time runs
the queue.
"""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import threading
import time
import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any, NamedTuple

import platformdirs

from irvane.core.errors import ReadError, SettingError, WriteError
from irvane.core.finish.destination import Destination, checked
from irvane.core.settings import Settings
from irvane.core.store.atomic import finish_interrupted, make_folder, remove_stale
from irvane.core.store.json_text import json_text
from irvane.core.store.small import Position, read_on, why_not_a_file

#: States of an entry.
WAITING, RUNNING, DONE, FAILED, SKIPPED, CANCELLED = (
    "waiting",
    "running",
    "done",
    "failed",
    "skipped",
    "cancelled",
)
_CHUNK = 1 << 20
#: Bytes of a journal: some hundred thousand entries.
_LARGEST = 1_000_000_000


class Wanted(NamedTuple):
    """What is to be written: files (several are merged, as `merge` says), settings, and the proof's name."""

    paths: tuple[Path, ...]
    settings: Settings
    proof: str = ""
    merge: dict[str, Any] | None = None


@dataclass(frozen=True)
class Entry:
    """One file to be written.

    Attributes
    ----------
    id : its identity. paths : the source's files; several are merged. proof : the proof's name; empty when it
        is the only one.
    number : its place in the run that it was added with, for names. state : of the above.
    written : the file that came of it. reason : why it failed, or what was left out.
    seconds : how long it took. merge : how several files are merged, as
        :class:`irvane.core.line.merge_options.MergeOptions` has it.
    """

    id: str
    paths: tuple[str, ...]
    settings: Settings
    how: Destination
    proof: str = ""
    number: int = 1
    state: str = WAITING
    written: str = ""
    reason: str = ""
    seconds: float = 0.0
    intent: dict[str, str] = field(default_factory=dict)
    merge: dict[str, Any] = field(default_factory=dict)

    @property
    def over(self) -> bool:
        return self.state in (DONE, FAILED, SKIPPED, CANCELLED)


def _parsed(line: bytes) -> dict[str, Any] | None:
    """A line of the journal; None for what is no object."""
    with suppress(ValueError, RecursionError):
        found = json.loads(line) if line else None
        if isinstance(found, dict):
            return found
    return None


def digest(path: Path) -> str:
    """Hash of a whole file."""
    found = hashlib.blake2b(digest_size=16)
    with path.open("rb") as stream:
        while block := stream.read(_CHUNK):
            found.update(block)
    return found.hexdigest()


def journal_path() -> Path:
    """Where the queue is kept."""
    return platformdirs.user_data_path("irvane") / "queue.jsonl"


class Journal:
    """The queue on disk.

    Parameters
    ----------
    path : the file; None: the user's.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or journal_path()
        self._lock = threading.Lock()
        self._forget()

    # reading

    def _forget(self) -> None:
        self._read: Position | None = None
        self._found: dict[str, Entry] = {}
        self._order: list[str] = []

    def entries(self) -> list[Entry]:
        """All entries in the order in which they are written; only what was appended since the last call is
        read."""
        with self._lock:
            for line in self._new_lines():
                self._take(line)
            return [self._found[key] for key in self._order if key in self._found]

    def _take(self, line: dict[str, Any]) -> None:
        found, kind, key = self._found, line.get("kind"), str(line.get("id", ""))
        if kind == "add":
            entry = _entry(line)
            if entry is not None and key not in found:
                found[key] = entry
                self._order.append(key)
        elif kind == "state" and key in found:
            changes = {name: line[name] for name in ("state", "written", "reason", "seconds") if name in line}
            found[key] = replace(found[key], **changes, intent={})
        elif kind == "intent" and key in found:
            told = {name: str(line.get(name, "")) for name in ("temporary", "target", "digest")}
            found[key] = replace(found[key], intent=told)
        elif kind == "removed":
            found.pop(key, None)
        elif kind == "order" and isinstance(line.get("ids"), list):
            wished = [k for k in line["ids"] if k in found]
            self._order = wished + [k for k in self._order if k in found and k not in wished]

    def _new_lines(self) -> Iterator[dict[str, Any]]:
        try:
            got = read_on(self.path, self._read, _LARGEST)
        except ReadError:
            got = None
        if got is None or got[0] != self._read:  # another file, or none
            self._forget()
        if got is None:
            return
        begins, data = got
        whole, _, rest = data.rpartition(b"\n")
        lines = [_parsed(line) for line in whole.split(b"\n")]
        last = _parsed(rest)  # it may be half written: then it is read again, with what follows
        end = len(data) if last is not None else len(data) - len(rest)
        self._read = begins._replace(offset=begins.offset + end)
        yield from (line for line in (*lines, last) if line is not None)

    # writing

    def _append(self, *lines: dict[str, Any]) -> None:
        make_folder(self.path.parent)
        with suppress(OSError):
            if words := why_not_a_file(self.path.stat().st_mode):
                raise WriteError(self.path, f"the queue cannot be kept ({words})")
        data = b"".join(json_text(line, None).encode() + b"\n" for line in lines)
        try:
            with self.path.open("ab") as stream:
                fcntl.flock(stream, fcntl.LOCK_EX)
                # what a crash left half written must not spoil what follows
                if stream.tell() and not self._ends_whole():
                    data = b"\n" + data
                stream.write(data)
                stream.flush()
                os.fsync(stream.fileno())
        except OSError as error:
            raise WriteError(self.path, f"the queue cannot be kept ({error.strerror})") from error

    def _ends_whole(self) -> bool:
        with self.path.open("rb") as stream:
            stream.seek(-1, os.SEEK_END)
            return stream.read(1) == b"\n"

    def add(self, wanted: Sequence[Wanted], how: Destination) -> list[Entry]:
        """Add files to be written; raises WriteError."""
        made = [
            Entry(
                uuid.uuid4().hex, tuple(str(path.absolute()) for path in one.paths), one.settings, how,
                one.proof, number,
                merge=one.merge or {},
            )
            for number, one in enumerate(wanted, 1)
        ]  # fmt: skip
        self._append(
            *(
                {
                    "kind": "add", "id": one.id, "paths": list(one.paths), "settings": one.settings.as_dict(),
                    "how": asdict(one.how), "proof": one.proof, "number": one.number, "added": time.time(),
                    **({"merge": one.merge} if one.merge else {}),
                }
                for one in made
            )
        )  # fmt: skip
        return made

    def tell(self, entry: Entry, state: str, **more: Any) -> None:
        """Note what became of an entry."""
        self._append({"kind": "state", "id": entry.id, "state": state, **more})

    def intend(self, entry: Entry, temporary: Path, target: Path) -> None:
        """Note that a file which is whole on the disk is about to get its name."""
        self._append(
            {
                "kind": "intent",
                "id": entry.id,
                "temporary": str(temporary),
                "target": str(target),
                "digest": digest(temporary),
            }
        )

    def put_in_order(self, ids: list[str]) -> None:
        """These first, in this order."""
        self._append({"kind": "order", "ids": ids})

    def remove(self, ids: list[str]) -> None:
        """Take entries off the list; files that were written stay."""
        self._append(*({"kind": "removed", "id": key} for key in ids))

    def cancel(self, ids: list[str] | None = None) -> int:
        """Do not write what waits (all of it, or these); returns how many."""
        waiting = [e for e in self.entries() if e.state == WAITING and (ids is None or e.id in ids)]
        self._append(*({"kind": "state", "id": e.id, "state": CANCELLED} for e in waiting))
        return len(waiting)

    def retry(self, ids: list[str] | None = None) -> int:
        """Put what failed or was cancelled back into the queue."""
        again = [e for e in self.entries() if e.state in (FAILED, CANCELLED) and (ids is None or e.id in ids)]
        self._append(
            *({"kind": "state", "id": e.id, "state": WAITING, "reason": "", "written": ""} for e in again)
        )
        return len(again)

    # running

    @contextmanager
    def running(self) -> Iterator[bool]:
        """Hold the queue: True inside when nobody else runs it."""
        make_folder(self.path.parent)
        with self.path.with_suffix(".lock").open("ab") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                yield False
                return
            yield True

    def make_good(self) -> list[Entry]:
        """After a crash: what was being written waits again, unless its file is whole; returns these. Call it
        while holding the queue."""
        told = []
        for entry in self.entries():
            if entry.state != RUNNING:
                continue
            told.append(entry)
            path = _completed(entry)
            if path is not None:
                self.tell(entry, DONE, written=str(path))
            else:
                self.tell(entry, WAITING)
            remove_stale(entry.how.folder_for(Path(entry.paths[0])))
        return told


def _completed(entry: Entry) -> Path | None:
    """The file of an entry whose name it was about to get, when it is whole; it gets its name where it had
    not."""
    if not entry.intent:
        return None
    temporary, target, wanted = (
        Path(entry.intent["temporary"]),
        Path(entry.intent["target"]),
        entry.intent["digest"],
    )
    with suppress(OSError):
        if target.is_file() and digest(target) == wanted:
            with suppress(OSError):
                temporary.unlink()  # where the name was given by a link
            return target
    with suppress(OSError):
        if temporary.is_file() and digest(temporary) == wanted:
            finish_interrupted(temporary, target)
            return target
    return None


def _entry(line: dict[str, Any]) -> Entry | None:
    try:
        return Entry(
            str(line["id"]), tuple(str(p) for p in line["paths"]), Settings.from_dict(line["settings"]),
            checked(line["how"]), str(line.get("proof", "")), int(line.get("number", 1)),
            merge=dict(line.get("merge") or {}),
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, SettingError):
        return None
