"""Proofs saved beside the frame: ``NAME.EXT.irvane.json``, written atomically, with the frame's content hash.

On read-only media the sidecar goes to the user's data folder, under the content hash; of two that belong to
one frame the one that was saved last counts. A sidecar belongs to content: one that another picture of this
name left behind is put aside, and a frame that was moved or renamed finds its own again. Every save reads the
file anew and merges proof by proof, so that two windows or programs on one frame lose nothing.
"""

from __future__ import annotations

import fcntl
import json
import os
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType
from typing import Any

import platformdirs

from irvane import __version__
from irvane.core.errors import NewerSettingError, ReadError, SettingError, WriteError, plain_text
from irvane.core.files.aside import free_name, set_aside
from irvane.core.files.proofs import FIRST, KEEP, MOST_STARS, REJECT, Proof, Sidecar, merged
from irvane.core.settings import Settings
from irvane.core.store.atomic import atomic_file, make_folder
from irvane.core.store.json_text import json_text
from irvane.core.store.small import read_small

FORMAT = "irvane-proofs"
#: Version 2 gave proofs an identity and a revision, and sidecars the time they were saved.
VERSION = 2
ENDING = ".irvane.json"
#: A sidecar is a few kilobytes a proof; what is larger is none.
_LARGEST = 16_000_000
#: Bytes of the longest path that is noted.
_LONGEST_PLACE = 8192
#: Bytes of the longest name beside which a sidecar (put aside, of a merge) fits.
_LONGEST_NAME = 255 - len(ENDING) - 24


@dataclass(frozen=True)
class Saved:
    """What came of saving.

    Attributes
    ----------
    path : where it was saved.
    sidecar : what is there now.
    renamed : by its old identity, the new one of each proof that goes on beside another window's.
    sentences : what the user has to know of it.
    """

    path: Path
    sidecar: Sidecar
    renamed: dict[str, str] = field(default_factory=dict)
    sentences: tuple[str, ...] = ()


def sidecar_path(frame: Path, merge: bool = False) -> Path:
    """Where a frame's proofs are saved: the whole file name, so that raw and JPEG do not collide."""
    return frame.with_name(frame.name + (".merge" if merge else "") + ENDING)


def _own_path(frame: Path, key: str, merge: bool) -> Path:
    """Merges that share their first member each have a sidecar; where a name would be too long, it is in the
    data folder."""
    if len(os.fsencode(frame.name)) > _LONGEST_NAME:
        return _fallback_path(key)
    return frame.with_name(f"{frame.name}.merge-{key[:8]}{ENDING}") if merge else sidecar_path(frame)


def _data_folder() -> Path:
    return platformdirs.user_data_path("irvane")


def _fallback_path(key: str) -> Path:
    return _data_folder() / "proofs" / f"{key}{ENDING}"


def _place_path(key: str) -> Path:
    """Notes where the sidecar of a content was saved last."""
    return _data_folder() / "places" / f"{key}.txt"


@dataclass(frozen=True)
class _Found:
    """A sidecar that was read: the content it belongs to (empty: not stated), and when it was saved."""

    path: Path
    sidecar: Sidecar
    content: str
    saved: float


def _to_json(sidecar: Sidecar, frame: Path, key: str) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "version": VERSION,
        "program": __version__,
        "saved": round(time.time(), 3),
        "frame": os.fsencode(frame.name).decode("utf-8", "replace"),
        "content": key,
        "members": list(sidecar.members),
        "current": sidecar.current,
        **({"mark": sidecar.mark} if sidecar.mark else {}),
        **({"stars": sidecar.stars} if sidecar.stars else {}),
        "proofs": [
            {"id": proof.id, "revision": proof.revision, "name": proof.name,
            "settings": proof.settings.as_dict()}
            | ({"note": proof.note} if proof.note else {})
            for proof in sidecar.proofs
        ],
    }  # fmt: skip


def _with_identities(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1: proofs are known by their places."""
    proofs = [{**p, "id": f"{FIRST}" if k == 0 else f"{FIRST}-{k + 1}"} for k, p in enumerate(data["proofs"])]
    return {**data, "version": 2, "proofs": proofs}


#: By a version: what makes of it the form of the next one.
MIGRATIONS = {1: _with_identities}


def _from_json(data: Any, path: Path) -> Sidecar:
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise ReadError(path, "it does not hold proofs")
    version = data.get("version")
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise ReadError(path, "it is damaged")
    if version > VERSION:
        raise NewerSidecarError(path, str(data.get("program", "unknown")))
    try:
        for step in range(version, VERSION):
            data = MIGRATIONS[step](data)
        proofs = tuple(
            Proof(
                plain_text(str(p["name"]), 80), Settings.from_dict(p["settings"]), str(p.get("note", "")),
                str(p["id"]),
                int(p.get("revision", 0)),
            )
            for p in data["proofs"]
        )  # fmt: skip
        current = int(data.get("current", 0))
        members = tuple(str(m) for m in data.get("members", []))
        mark = data.get("mark") if data.get("mark") in (KEEP, REJECT) else ""
        stars = min(max(int(data.get("stars", 0)), 0), MOST_STARS)
    except NewerSettingError as error:
        if str(data.get("program", __version__)) != __version__:
            raise NewerSidecarError(path, str(data["program"])) from error
        raise ReadError(path, f"it is damaged: {str(error).rstrip('.')}") from error
    except SettingError as error:
        raise ReadError(path, f"it is damaged: {str(error).rstrip('.')}") from error
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError, RecursionError) as error:
        raise ReadError(path, "it is damaged") from error
    if not proofs or len({proof.id for proof in proofs}) < len(proofs):
        raise ReadError(path, "it holds no proof" if not proofs else "it is damaged: two proofs are one")
    return Sidecar(proofs, min(max(current, 0), len(proofs) - 1), members, str(mark), stars)


class NewerSidecarError(ReadError):
    """A sidecar of a newer version of the program: it is left as it is, and nothing is saved in its place."""

    def __init__(self, path: str | Path, program: str) -> None:
        self.program = program
        super().__init__(path, f"it was written by a newer version of the program ({program})")

    def __reduce__(self) -> tuple[type[NewerSidecarError], tuple[Path, str]]:  # type: ignore[override]
        return type(self), (self.path, self.program)


def _read(path: Path) -> _Found | None:
    """A sidecar, or None where there is none; raises ReadError."""
    text = read_small(path, _LARGEST, "a sidecar")
    if text is None:
        return None
    try:
        data = json.loads(text.decode("utf-8"))
    except (ValueError, RecursionError) as error:
        raise ReadError(path, "it is damaged") from error
    sidecar = _from_json(data, path)
    saved = data.get("saved")
    stated = isinstance(saved, int | float) and not isinstance(saved, bool)
    return _Found(path, sidecar, str(data.get("content", "")), float(saved) if stated else _changed(path))


def _changed(path: Path) -> float:
    """When a file was changed; 0 where that cannot be told."""
    try:
        return path.stat().st_mtime
    except OSError:
        return 0.0


def read_proofs(path: Path) -> Sidecar:
    """The proofs of a sidecar by its own path, whatever picture it belongs to; raises ReadError."""
    found = _read(path)
    if found is None:
        raise ReadError(path, "the file is not there")
    return found.sidecar


def _belongs(found: _Found | None, key: str) -> bool:
    return found is not None and found.content in ("", key)


def _newest(frame: Path, key: str, merge: bool) -> _Found | None:
    """The newest of the sidecars that belong to a frame: beside it, in the user's data folder, where it was
    before."""
    paths = [_own_path(frame, key, merge), _fallback_path(key)]
    if merge:
        paths.append(sidecar_path(frame, merge=True))  # as merges were saved at first
    found: list[_Found] = []
    problem: ReadError | None = None
    for path in paths:
        try:
            one = _read(path)
        except NewerSidecarError:
            raise
        except ReadError as error:
            problem = problem or error
            continue
        if one is not None and _belongs(one, key):
            found.append(one)
    if not found and problem is not None:
        raise problem
    if not found:
        found = [one for one in _elsewhere(frame, key) if one.content == key]
    return max(found, key=lambda one: one.saved, default=None)


def _elsewhere(frame: Path, key: str) -> Iterator[_Found]:
    """Sidecars without a frame that this frame may have left behind: where its content was saved last, and
    beside it."""
    paths = []
    with suppress(OSError, ReadError):
        noted = read_small(_place_path(key), _LONGEST_PLACE)
        last = Path(os.fsdecode(noted)) if noted else None
        if (
            last is not None and not last.with_name(last.name.removesuffix(ENDING)).exists()
        ):  # moved, not copied
            paths.append(last)
    with suppress(OSError):
        names = set(os.listdir(frame.parent))
        orphans = (n for n in names if n.endswith(ENDING) and n.removesuffix(ENDING) not in names)
        paths += [frame.with_name(name) for name in sorted(orphans)]
    for path in paths:
        with suppress(ReadError):
            one = _read(path)
            if one is not None:
                yield one


def load_sidecar(frame: Path, key: str, merge: bool = False) -> Sidecar | None:
    """Proofs saved for a frame (or for a merge, of which `frame` is the first member); None when there are
    none.

    Raises
    ------
    ReadError
        When the file is damaged; NewerSidecarError when it is newer than this program. It is left as it is.
    """
    found = _newest(frame, key, merge)
    return None if found is None else found.sidecar


def stranger(frame: Path, key: str) -> Path | None:
    """The sidecar beside a frame that belongs to another picture of this name, if there is one."""
    try:
        found = _read(sidecar_path(frame))
    except ReadError:
        return None
    return found.path if found is not None and not _belongs(found, key) else None


@contextmanager
def _alone_in(folder: Path) -> Iterator[None]:
    """No other window of Irvane saves into a folder meanwhile (where its disk can hold locks)."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except OSError:
        yield
        return
    try:
        with suppress(OSError):
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _writable(folder: Path) -> bool:
    return os.access(folder, os.W_OK | os.X_OK)


def save_sidecar(
    sidecar: Sidecar,
    frame: Path,
    key: str,
    merge: bool = False,
    base: Sidecar | None = None,
    removed: Mapping[str, str] = MappingProxyType({}),
) -> Saved:
    """Save proofs beside the frame, or in the user's data folder when the frame's folder is read-only.

    Parameters
    ----------
    base : what was there when these proofs were read or saved last; what has been changed there since is
        merged in. None: nothing was there.
    removed : names of the proofs that were removed since, by their identities; no other one is removed.

    Raises
    ------
    WriteError
        When neither place can be written.
    NewerSidecarError
        When a newer version of the program keeps its proofs there; they are not replaced.
    """
    target = _own_path(frame, key, merge)
    if not _writable(target.parent):
        target = _fallback_path(key)
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise WriteError(target, "the folder for settings cannot be made") from error
    with _alone_in(target.parent):
        sentences = _make_way(target, key)
        there = _newest(frame, key, merge)
        base = base or Sidecar()
        before, renamed = base, {}
        if there is not None:
            before = there.sidecar
            both = merged(base, sidecar, before, removed)
            sidecar, renamed = both.sidecar, both.renamed
            for old, new in renamed.items():
                names = [proof.name for id in (old, new) if (proof := sidecar.proof(id)) is not None]
                sentences.append(
                    f"“{names[0]}” was changed by another window too; yours goes on as “{names[-1]}”."
                )
            sentences += [f"“{name}” was removed here and changed elsewhere; it stays." for name in both.kept]
        proofs = (
            p if p.same(before.proof(p.id)) else replace(p, revision=p.revision + 1) for p in sidecar.proofs
        )
        sidecar = replace(sidecar, proofs=tuple(proofs))
        text = json_text(_to_json(sidecar, frame, key))
        with atomic_file(target) as temporary:
            temporary.write_text(text, "utf-8", errors="replace")
    _note_place(key, target)
    return Saved(target, sidecar, renamed, tuple(sentences))


def _make_way(target: Path, key: str) -> list[str]:
    """Put aside what stands at a sidecar's place and must not be replaced: another picture's, or one that is
    damaged."""
    try:
        found = _read(target)
    except NewerSidecarError:
        raise
    except ReadError as error:
        kept = set_aside(target)
        return [f"{error}. It was kept as {kept.name}."]
    if found is None or _belongs(found, key):
        return []
    kept = free_name(target.with_name(f"{target.name.removesuffix(ENDING)}.{found.content[:8]}{ENDING}"))
    with suppress(OSError):
        target.rename(kept)
        return [f"The settings of another picture that had this name were kept as {kept.name}."]
    raise WriteError(target, "it belongs to another picture and cannot be put aside")


def _note_place(key: str, target: Path) -> None:
    """So that a frame that is moved finds its proofs again; without it everything else works."""
    place = _place_path(key)
    with suppress(WriteError, OSError):
        with suppress(ReadError):
            if read_small(place, _LONGEST_PLACE) == os.fsencode(target):
                return
        make_folder(place.parent)
        with atomic_file(place) as temporary:
            temporary.write_bytes(os.fsencode(target.absolute()))
