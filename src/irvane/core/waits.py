"""How the time of long work is told, the same everywhere: the share of the whole wait, and the time left as
soon as it is known.

No time is told before it is known, none that has run out, and never 0 s while work remains. Between two
reports the time goes on. All times are seconds of one clock that the caller reads.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

#: Seconds and share of some work before its time is extrapolated; share from which that counts more than an
#: expected time.
_FIRST, _LEAST, _TRUSTED = 1.5, 0.05, 0.25
#: A time that has less than this left is not told any more: it ran out, and work remains.
_GONE = 0.5
#: Share at which work whose time is over stays until it is told to be done.
_ALMOST = 0.99


def left_text(seconds: float | None) -> str:
    """``12 s left``, ``3 min left``; nothing where it is not known."""
    if seconds is None or not math.isfinite(seconds) or seconds < _GONE:
        return ""
    if seconds < 100:
        return f"{max(math.ceil(seconds), 1)} s left"
    return f"{math.ceil(seconds / 60)} min left" if seconds < 6000 else f"{seconds / 3600:.1f} h left"


def wait_text(words: str, share: float, left: float | None) -> str:
    """``removing noise 40 %, 12 s left``; ``… …`` where not even the share is known."""
    told = f"{words} {min(share, _ALMOST):.0%}" if share >= 0.005 else f"{words} …"
    time = left_text(left)
    return f"{told}, {time}" if time else told


@dataclass
class Countdown:
    """Time left of one piece of work that reports its share.

    Attributes
    ----------
    expected : seconds that it takes; None where that is not known beforehand.
    """

    began: float
    expected: float | None = None
    share: float = 0.0
    reported: float = field(default=0.0)
    #: Seconds that were left when it reported last, as its worker counts them; None before.
    _left: float | None = None

    def report(self, share: float, now: float, left: float | None = None) -> None:
        """It is so far; `left` as the worker counts it, without what it did for others."""
        if share > self.share or left is not None:
            self.share, self.reported = max(share, self.share), now
            elapsed = now - self.began
            self._left = left if left is not None else elapsed * (1 - share) / share if share > 0 else None

    def left(self, now: float) -> float | None:
        """Seconds left; None where they are not known, or have run out."""
        elapsed = now - self.began
        told = self._left if self.share >= _LEAST and self.reported - self.began >= _FIRST else None
        if told is not None:
            told -= now - self.reported
        if self.expected is not None and (told is None or self.share < _TRUSTED):
            told = self.expected - elapsed
        return told if told is not None and told >= _GONE else None

    def seen(self, now: float) -> float:
        """The share as it is told: between reports it goes on, where the time is known."""
        if self.expected is None or self.expected <= 0:
            return self.share
        return max(
            self.share, min((now - self.began) / self.expected, _ALMOST) * (1 if self.share < _TRUSTED else 0)
        )


@dataclass
class Wait:
    """A wait of several stages, one after the other: what a pane waits for.

    Attributes
    ----------
    expected : by stage, in their order, the seconds it takes; None where that was never measured here.
    """

    expected: dict[str, float | None]
    finished: set[str] = field(default_factory=set)
    current: str = ""
    _running: Countdown | None = None
    _told: float = 0.0

    def begin(self, stage: str, now: float) -> None:
        """A stage begins; one that was not foreseen is added."""
        if stage != self.current:
            self.expected.setdefault(stage, None)
            self.current, self._running = stage, Countdown(now, self.expected[stage])

    def report(self, stage: str, share: float, now: float, left: float | None = None) -> None:
        """A stage is so far."""
        self.begin(stage, now)
        assert self._running is not None
        self._running.report(share, now, left)

    def finish(self, stage: str) -> None:
        """A stage is done."""
        self.finished.add(stage)
        if stage == self.current:
            self.current, self._running = "", None

    def replan(self, expected: dict[str, float | None]) -> None:
        """More is known of what comes: stages that are not done and do not come any more are forgotten."""
        kept = {s: t for s, t in self.expected.items() if s in self.finished or s == self.current}
        self.expected = {**kept, **{s: t for s, t in expected.items() if s not in kept}}

    @property
    def over(self) -> bool:
        """Is every stage done?"""
        return set(self.expected) <= self.finished

    def share(self, now: float) -> float:
        """Share of the whole wait that is over; it never goes back."""
        known = [t for t in self.expected.values() if t is not None]
        usual = sum(known) / len(known) if known else 1.0
        weights = {stage: usual if t is None else t for stage, t in self.expected.items()}
        total = sum(weights.values())
        done = sum(weights[stage] for stage in self.finished if stage in weights)
        if self._running is not None:
            done += weights[self.current] * self._running.seen(now)
        self._told = max(self._told, done / total if total > 0 else 0.0)
        return self._told

    def left(self, now: float) -> float | None:
        """Seconds left of all stages; None while those of one are not known."""
        later = [
            t for stage, t in self.expected.items() if stage not in self.finished and stage != self.current
        ]
        if any(t is None for t in later):
            return None
        own = 0.0
        if self._running is not None:
            found = self._running.left(now)
            if found is None and not (later and self._running.expected is not None):
                return None
            own = found or 0.0
        total = own + sum(t for t in later if t is not None)
        return total if total >= _GONE else None

    def text(self, words: str, now: float) -> str:
        """What is told of it."""
        return wait_text(words, self.share(now), self.left(now))
