"""Opening the window, or handing files over to one that is there."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from irvane.commands._inputs import (
    DONE,
)


def handed_over(paths: Sequence[Path]) -> bool:
    """Did a window that runs take the files?"""
    from irvane.desktop.second_start import hand_over

    return hand_over(list(paths))


def window(paths: Sequence[Path], demo: bool = False) -> int:
    """Open files in a window; returns the exit code."""
    if handed_over(paths):
        print("opened in the window that is there already")
        return DONE
    from irvane.desktop.app import run

    return run(list(paths), demo=demo)
