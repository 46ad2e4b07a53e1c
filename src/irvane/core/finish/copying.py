"""Copying a card: every picture verified by its checksum, renamed by a pattern, never deleted; an interrupted
copy goes on."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from irvane.core.errors import Cancelled, IrvaneError, ReadError, WriteError
from irvane.core.files.formats import OPENABLE
from irvane.core.files.info import FrameInfo, read_info
from irvane.core.finish.naming import Named, file_name
from irvane.core.progress import Progress, always, part, step
from irvane.core.store.atomic import atomic_file, make_folder

COPIED, THERE, FAILED = "copied", "there already", "failed"
_CHUNK = 1 << 22
#: What belongs to a picture of the same name and goes along with it: ratings of other programs, spoken notes.
_COMPANIONS = frozenset((".xmp", ".wav"))


@dataclass(frozen=True)
class Planned:
    """A file and where it goes."""

    source: Path
    target: Path


@dataclass(frozen=True)
class Copied:
    """What came of one file.

    Attributes
    ----------
    state : COPIED, THERE (the same content under its name) or FAILED, with the reason.
    """

    source: Path
    target: Path
    state: str
    reason: str = ""


def find_pictures(card: Path) -> tuple[list[Path], int]:
    """Pictures of a card in all its folders, with what belongs to them, by name; and how many other files
    there are.

    Raises
    ------
    ReadError
        When the folder cannot be read.
    """
    if not card.is_dir():
        raise ReadError(card, "there is no such folder")
    found: list[Path] = []
    companions: list[Path] = []
    others = 0
    for folder, folders, names in os.walk(card):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(name for name in names if not name.startswith(".")):
            path = Path(folder) / name
            if path.suffix.lower() in OPENABLE:
                found.append(path)
            elif path.suffix.lower() in _COMPANIONS:
                companions.append(path)
            else:
                others += 1
    stems = {(path.parent, path.stem.casefold()) for path in found}
    belonging = [p for p in companions if (p.parent, p.stem.partition(".")[0].casefold()) in stems]
    return found + belonging, others + len(companions) - len(belonging)


def plan_copy(paths: Sequence[Path], folder: Path, pattern: str = "{name}") -> list[Planned]:
    """Where files go. A slash in the pattern makes folders; what is of one name stays of one name.

    Raises
    ------
    SettingError
        When the pattern has words that are not known, or makes no name.
    """
    numbers: dict[tuple[Path, str], int] = {}
    infos: dict[tuple[Path, str], FrameInfo] = {}
    taken: set[Path] = set()
    planned = []
    for path in paths:
        stem = path.stem.partition(".")[0] if path.suffix.lower() in _COMPANIONS else path.stem
        key = path.parent, stem.casefold()
        number = numbers.setdefault(key, len(numbers) + 1)
        if key not in infos:
            try:
                infos[key] = read_info(path)
            except IrvaneError:
                infos[key] = FrameInfo()
        parts = pattern.strip("/").split("/")
        named = Named(path.with_name(stem), "", number, infos[key])
        names = [file_name(piece, named, "") for piece in parts]
        # of NAME.EXT.xmp both endings stay
        ending = path.name[len(stem) :]
        target = folder.joinpath(*names[:-1], names[-1] + ending)
        count = 2
        while target in taken:
            target = folder.joinpath(*names[:-1], f"{names[-1]}-{count}{ending}")
            count += 1
        taken.add(target)
        planned.append(Planned(path, target))
    return planned


def _read(path: Path, progress: Progress) -> Iterator[bytes]:
    size = max(path.stat().st_size, 1)
    done = 0
    with path.open("rb") as stream:
        while block := stream.read(_CHUNK):
            done += len(block)
            step(progress, min(done / size, 1.0))
            yield block


def _checksum(path: Path, progress: Progress = always) -> str:
    """Hash of a file as it is on the disk: what the system keeps of it in memory is not asked."""
    with suppress(OSError, AttributeError), path.open("rb") as stream:
        os.posix_fadvise(stream.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
    found = hashlib.blake2b(digest_size=32)
    for block in _read(path, progress):
        found.update(block)
    return found.hexdigest()


def copy_file(one: Planned, progress: Progress = always) -> Copied:
    """Copy a file and read it again; a file of that name with the same content counts as copied, another one
    is left.

    Raises
    ------
    Cancelled
        When `progress` returns False; nothing is left behind. Other trouble is told in the result.
    """
    try:
        if one.source.stat().st_size == 0:
            return _failed(one, "it is empty (0 bytes) on the card; nothing was copied")
        if one.target.exists():
            same = one.target.stat().st_size == one.source.stat().st_size
            if same and _checksum(one.target) == _checksum(one.source):
                return Copied(one.source, one.target, THERE)
            return _failed(one, "another file of that name is there; it was left as it is")
        make_folder(one.target.parent)
        found = hashlib.blake2b(digest_size=32)
        with atomic_file(one.target, overwrite=False) as temporary:
            with temporary.open("wb") as stream:
                for block in _read(one.source, part(progress, 0.0, 0.7)):
                    found.update(block)
                    stream.write(block)
                stream.flush()
                os.fsync(stream.fileno())
            if _checksum(temporary, part(progress, 0.7, 1.0)) != found.hexdigest():
                raise WriteError(
                    one.target, "what was read back is not what was written; the disk may be failing"
                )
            with suppress(OSError):
                times = one.source.stat()
                os.utime(temporary, ns=(times.st_atime_ns, times.st_mtime_ns))
    except Cancelled:
        raise
    except IrvaneError as error:
        return Copied(one.source, one.target, FAILED, str(error))
    except OSError as error:
        return _failed(one, f"it cannot be read ({error.strerror})")
    return Copied(one.source, one.target, COPIED)


def _failed(one: Planned, reason: str) -> Copied:
    return Copied(one.source, one.target, FAILED, f"{one.target}: {reason}")


def copy_all(planned: Sequence[Planned], progress: Progress = always) -> Iterator[Copied]:
    """Copy files one after the other; each is told as soon as it is done.

    Raises
    ------
    Cancelled
    """
    sizes = []
    for one in planned:
        try:
            sizes.append(max(one.source.stat().st_size, 1))
        except OSError:
            sizes.append(1)
    whole, done = sum(sizes) or 1, 0
    for one, size in zip(planned, sizes, strict=True):
        yield copy_file(one, part(progress, done / whole, (done + size) / whole))
        done += size


def told(results: Sequence[Copied], others: int = 0) -> str:
    """A sentence on what came of a card."""
    count = {state: sum(one.state == state for one in results) for state in (COPIED, THERE, FAILED)}
    words = [f"{count[COPIED]} copied and verified"]
    words += [f"{count[THERE]} there already"] if count[THERE] else []
    words += [f"{count[FAILED]} failed"] if count[FAILED] else []
    words += [f"{others} other files stay on the card"] if others else []
    return ", ".join(words) + ". Nothing was deleted."
