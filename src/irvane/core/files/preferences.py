"""What the user has chosen once for all pictures: a small JSON file in the folder for configuration."""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass, fields, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import platformdirs

from irvane.core.errors import ReadError
from irvane.core.noise.dynamic_range import CONDITIONS, USUAL
from irvane.core.store.atomic import atomic_file, make_folder
from irvane.core.store.small import read_small

#: Bytes of the file at most.
_LARGEST = 4_000_000
#: How many greys there are around the pictures.
SURROUNDS = 3


@dataclass(frozen=True)
class NewFrames:
    """What frames without proofs begin with.

    Attributes
    ----------
    by_noise : names of presets by the class of noise that is measured.
    light : exposure and recovery are suggested as well.
    by_itself : done to new frames when they are opened; otherwise only on command.
    method : how noise is removed in new proofs, ``best`` or ``fast``; for slow machines.
    """

    by_noise: tuple[tuple[str, str], ...] = ()
    light: bool = False
    by_itself: bool = False
    method: str = "best"

    @property
    def decides(self) -> bool:
        """Is anything decided at all?"""
        return bool(self.light or any(name for _, name in self.by_noise))


@dataclass(frozen=True)
class Preferences:
    """All of them; None means: as the program finds best.

    Attributes
    ----------
    memory_gb : what developed frames may occupy together. cache_gb : results on disk. threads : for
        computing.
    surround : the grey around the pictures, by its number. new_frames : what frames without proofs begin
        with.
    also : names of further destinations that the queue writes to besides `destination`.
    largest_megapixels : pictures above it are refused before they are decoded; None: what the free memory
        holds.
    lenses : profiles that were chosen for lenses, by what their files say of them: new proofs begin with
        them.
    softness : σ of lenses in the middle and in the corners (pixels), by what their files say of them.
    destination : name of the destination that was chosen last.
    range_under : what dynamic range is told for, of :mod:`irvane.core.noise.dynamic_range`.
    all_figures : the table under the panes shows every figure. rows : those that it shows otherwise; none: as
        shipped.
    unfolded : stations that show all of their settings.
    inches : lengths on paper are told in inches, otherwise in centimetres.
    """

    largest_megapixels: float | None = None
    lenses: tuple[tuple[str, str], ...] = ()
    softness: tuple[tuple[str, float, float], ...] = ()
    destination: str = ""
    also: tuple[str, ...] = ()
    memory_gb: float | None = None
    cache_gb: float | None = None
    threads: int | None = None
    surround: int = 1
    new_frames: NewFrames = NewFrames()
    inches: bool = False
    range_under: str = USUAL
    all_figures: bool = False
    rows: tuple[str, ...] = ()
    unfolded: tuple[str, ...] = ()


def preferences_path() -> Path:
    """Where they are kept."""
    return platformdirs.user_config_path("irvane") / "preferences.json"


@lru_cache(maxsize=1)
def preferences() -> Preferences:
    """The chosen ones; what cannot be read counts as not chosen."""
    try:
        data = json.loads(read_small(preferences_path(), _LARGEST) or b"{}")
        known = {f.name: data[f.name] for f in fields(Preferences) if f.name in data}
    except (ReadError, ValueError, TypeError, RecursionError):
        return Preferences()
    named = known.get("destination")
    surround = known.get("surround")
    return Preferences(
        _positive(known.get("largest_megapixels")),
        _pairs(known.get("lenses")),
        _softness(known.get("softness")),
        named if isinstance(named, str) else "",
        _words(known.get("also")),
        _positive(known.get("memory_gb")),
        _positive(known.get("cache_gb")),
        _threads(known.get("threads")),
        surround if type(surround) is int and 0 <= surround < SURROUNDS else Preferences.surround,
        _new_frames(known.get("new_frames")),
        known.get("inches") is True,
        under if isinstance(under := known.get("range_under"), str) and under in CONDITIONS else USUAL,
        known.get("all_figures") is True,
        _words(known.get("rows")),
        _words(known.get("unfolded")),
    )


def _words(value: Any) -> tuple[str, ...]:
    return tuple(one for one in value if isinstance(one, str)) if isinstance(value, list) else ()


def _positive(value: Any) -> float | None:
    good = isinstance(value, int | float) and not isinstance(value, bool)
    return float(value) if good and math.isfinite(value) and value > 0 else None


def _threads(value: Any) -> int | None:
    found = _positive(value)
    return None if found is None or found < 1 else int(found)


def _pairs(value: Any) -> tuple[tuple[str, str], ...]:
    pairs = value if isinstance(value, list) else []
    return tuple(
        (pair[0], pair[1])
        for pair in pairs
        if isinstance(pair, list) and len(pair) == 2 and all(isinstance(one, str) for one in pair)
    )


def _softness(value: Any) -> tuple[tuple[str, float, float], ...]:
    rows = value if isinstance(value, list) else []
    return tuple(
        (row[0], float(row[1]), float(row[2]))
        for row in rows
        if isinstance(row, list)
        and len(row) == 3
        and isinstance(row[0], str)
        and None not in map(_positive, row[1:])
    )


def _new_frames(value: Any) -> NewFrames:
    found = value if isinstance(value, dict) else {}
    method = found.get("method")
    return NewFrames(
        _pairs(found.get("by_noise")),
        found.get("light") is True,
        found.get("by_itself") is True,
        method if method in ("best", "fast") else "best",
    )


def choose(**changes: Any) -> None:
    """Change some of them.

    Raises
    ------
    WriteError
        When they cannot be saved.
    """
    changed = replace(preferences(), **changes)
    path = preferences_path()
    make_folder(path.parent)
    with atomic_file(path) as temporary:
        temporary.write_text(json.dumps(asdict(changed), indent=1), "utf-8")
    preferences.cache_clear()
