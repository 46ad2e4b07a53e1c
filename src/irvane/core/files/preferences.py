"""What the user has chosen once for all pictures: a small JSON file in the folder for configuration."""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass, fields, replace
from functools import lru_cache
from pathlib import Path

import platformdirs

from irvane.core.files.atomic import atomic_file, make_folder


@dataclass(frozen=True)
class Preferences:
    """All of them; None means: as the program finds best.

    Attributes
    ----------
    largest_megapixels : pictures above it are refused before they are decoded; None: what the free memory holds.
    """

    largest_megapixels: float | None = None


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
        return Preferences()
    return Preferences(largest_megapixels=float(size))


def choose(**changes: float | None) -> None:
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
