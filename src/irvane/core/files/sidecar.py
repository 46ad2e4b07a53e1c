"""Proofs saved beside the frame: ``NAME.EXT.irvane.json``, written atomically, with the frame's content hash.

On read-only media the sidecar goes to the user's data folder, under the content hash.
"""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import platformdirs

from irvane import __version__
from irvane.core.errors import ReadError, SettingError, WriteError
from irvane.core.files.atomic import atomic_file
from irvane.core.settings import Settings

FORMAT = "irvane-proofs"
VERSION = 1
ENDING = ".irvane.json"


@dataclass(frozen=True)
class Proof:
    """One development of a frame: a name, its settings, and a note on why it was kept."""

    name: str
    settings: Settings = field(default_factory=Settings)
    note: str = ""


@dataclass(frozen=True)
class Sidecar:
    """All proofs of a source and which one is current.

    Attributes
    ----------
    members : file names of a merge's frames; empty for a frame.
    """

    proofs: tuple[Proof, ...] = (Proof("Proof 1"),)
    current: int = 0
    members: tuple[str, ...] = ()


def sidecar_path(frame: Path, merge: bool = False) -> Path:
    """Where a frame's proofs are saved: the whole file name, so that raw and JPEG do not collide."""
    return frame.with_name(frame.name + (".merge" if merge else "") + ENDING)


def _fallback_path(key: str) -> Path:
    return platformdirs.user_data_path("irvane") / "proofs" / f"{key}{ENDING}"


def _to_json(sidecar: Sidecar, frame: Path, key: str) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "version": VERSION,
        "program": __version__,
        "frame": frame.name,
        "content": key,
        "members": list(sidecar.members),
        "current": sidecar.current,
        "proofs": [
            {"name": proof.name, "settings": proof.settings.as_dict()}
            | ({"note": proof.note} if proof.note else {})
            for proof in sidecar.proofs
        ],
    }


def _from_json(data: Any, path: Path) -> Sidecar:
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise ReadError(path, "it does not hold proofs")
    if not isinstance(data.get("version"), int) or data["version"] > VERSION:
        raise ReadError(
            path, f"it was written by a newer version of the program ({data.get('program', 'unknown')})"
        )
    try:
        proofs = tuple(
            Proof(str(p["name"]), Settings.from_dict(p["settings"]), str(p.get("note", "")))
            for p in data["proofs"]
        )
        current = int(data.get("current", 0))
        members = tuple(str(m) for m in data.get("members", []))
    except (KeyError, TypeError, ValueError) as error:
        raise ReadError(path, "it is damaged") from error
    except SettingError as error:
        raise ReadError(path, f"it is damaged: {error}") from error
    if not proofs:
        raise ReadError(path, "it holds no proof")
    return Sidecar(proofs, min(max(current, 0), len(proofs) - 1), members)


def load_sidecar(frame: Path, key: str, merge: bool = False) -> Sidecar | None:
    """Proofs saved for a frame, from beside it or from the user's data folder; None when there are none.

    Raises
    ------
    ReadError
        When the file is damaged or newer than this program; it is left as it is.
    """
    for path in (sidecar_path(frame, merge), _fallback_path(key)):
        try:
            text = path.read_text("utf-8")
        except FileNotFoundError:
            continue
        except (OSError, UnicodeDecodeError) as error:
            raise ReadError(path, "it cannot be read") from error
        try:
            data = json.loads(text)
        except ValueError as error:
            raise ReadError(path, "it is damaged") from error
        return _from_json(data, path)
    return None


def save_sidecar(sidecar: Sidecar, frame: Path, key: str, merge: bool = False) -> Path:
    """Save proofs beside the frame, or in the user's data folder when the frame's folder is read-only.

    Returns the path written.

    Raises
    ------
    WriteError
        When neither place can be written.
    """
    text = json.dumps(_to_json(sidecar, frame, key), indent=1, ensure_ascii=False)
    target = sidecar_path(frame, merge)
    if not os.access(target.parent, os.W_OK):
        target = _fallback_path(key)
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise WriteError(target, "the folder for settings cannot be made") from error
    with atomic_file(target) as temporary:
        temporary.write_text(text, "utf-8")
    return target


def set_aside(path: Path) -> Path:
    """Rename a damaged sidecar so that nothing is lost and new proofs can be saved; returns the new path."""
    kept = path.with_name(path.name + ".damaged")
    number = 1
    while kept.exists():
        number += 1
        kept = path.with_name(f"{path.name}.damaged{number}")
    path.rename(kept)
    return kept
