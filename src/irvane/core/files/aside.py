"""Files that are in the way are renamed: nothing is lost."""

from __future__ import annotations

from pathlib import Path

from irvane.core.errors import WriteError
from irvane.core.store.atomic import write_reason


def free_name(path: Path) -> Path:
    """The path itself, or the first with a number at its end that is not taken."""
    kept, number = path, 1
    while kept.exists():
        number += 1
        kept = path.with_name(f"{path.name}{number}")
    return kept


def set_aside(path: Path) -> Path:
    """Rename a damaged sidecar so that nothing is lost and new proofs can be saved; returns the new path.

    Raises
    ------
    WriteError
        When it cannot be renamed; it stays as it is.
    """
    kept = free_name(path.with_name(path.name + ".damaged"))
    try:
        path.rename(kept)
    except OSError as error:
        raise WriteError(path, write_reason(error)) from error
    return kept
