"""Finding files to open: by their names alone, so that no library is loaded for it."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from irvane.core.errors import plain_text
from irvane.core.files.formats import OPENABLE
from irvane.core.names import natural_key
from irvane.core.store.atomic import remove_stale


def _is_picture(entry: os.DirEntry[str]) -> bool:
    """Does an entry of a folder look like a picture: a file (or a link to one, even to one that is gone) of
    such a name?"""
    if entry.name.startswith(".") or os.path.splitext(entry.name)[1].lower() not in OPENABLE:
        return False
    try:
        return entry.is_file() or (entry.is_symlink() and not os.path.exists(entry.path))
    except OSError:
        return True


def collect(paths: Iterable[Path]) -> tuple[list[Path], list[str]]:
    """Files to open: given files as they are, folders with every openable file in them, sorted by name.

    Returns the files and sentences about paths that hold nothing.
    """
    found: list[Path] = []
    problems: list[str] = []
    for path in paths:
        if path.is_dir():
            remove_stale(path)
            try:
                with os.scandir(path) as entries:
                    names = [entry.name for entry in entries if _is_picture(entry)]
                inside = [path / name for name in sorted(names, key=natural_key)]
            except OSError as error:
                problems.append(f"{plain_text(str(path))}: the folder cannot be read ({error.strerror})")
                continue
            if not inside:
                problems.append(f"{plain_text(str(path))}: no picture in this folder")
            found += inside
        elif path.exists():
            found.append(path)
        else:
            problems.append(f"{plain_text(str(path))}: the file is not there")
    return list(dict.fromkeys(found)), problems
