"""Progress of long work: a callback that takes the share done (0…1) and returns False to cancel."""

from __future__ import annotations

from collections.abc import Callable

from irvane.core.errors import Cancelled

Progress = Callable[[float], bool]


def always(_share: float) -> bool:
    """A progress callback that never cancels."""
    return True


def part(progress: Progress, start: float, end: float) -> Progress:
    """The callback of a part of the work that goes from `start` to `end` of the whole."""
    return lambda share: progress(start + (end - start) * share)


def step(progress: Progress, share: float) -> None:
    """Report a share; raises Cancelled when the work is not wanted any more."""
    if not progress(share):
        raise Cancelled
