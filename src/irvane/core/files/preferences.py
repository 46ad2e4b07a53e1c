"""What the user has chosen once for all pictures: a small JSON file in the folder for configuration."""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass, fields, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import platformdirs

from irvane.core.files.atomic import atomic_file, make_folder


@dataclass(frozen=True)
class Preferences:
    """All of them; None means: as the program finds best.

    Attributes
    ----------
    largest_megapixels : pictures above it are refused before they are decoded; None: what the free memory holds.
    lenses : profiles that were chosen for lenses, by what their files say of them: new proofs begin with them.
    destination : name of the destination that was chosen last.
    """

    largest_megapixels: float | None = None
    lenses: tuple[tuple[str, str], ...] = ()
    destination: str = ""


def preferences_path() -> Path:
    """Where they are kept."""
    return platformdirs.user_config_path("irvane") / "preferences.json"


@lru_cache(maxsize=1)
def preferences() -> Preferences:
    """The chosen ones; what cannot be read counts as not chosen."""
    try:
        data = json.loads(preferences_path().read_bytes())
        known = {f.name: data[f.name] for f in fields(Preferences) if f.name in data}
    except (OSError, ValueError, TypeError, RecursionError):
        return Preferences()
    size = known.get("largest_megapixels")
    if isinstance(size, bool) or not isinstance(size, int | float) or not math.isfinite(size) or size <= 0:
        size = None
    pairs = known.get("lenses")
    pairs = pairs if isinstance(pairs, list) else []
    lenses = tuple(
        (pair[0], pair[1])
        for pair in pairs
        if isinstance(pair, list) and len(pair) == 2 and all(isinstance(one, str) for one in pair)
    )
    named = known.get("destination")
    return Preferences(None if size is None else float(size), lenses, named if isinstance(named, str) else "")


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
