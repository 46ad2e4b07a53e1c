"""Settings read from a file: those of a whole sidecar, or a few by their names."""

from __future__ import annotations

import json
from pathlib import Path

from irvane.core.errors import ReadError
from irvane.core.files.sidecar import read_proofs
from irvane.core.settings import Settings
from irvane.core.store.small import read_small

#: Settings are some kilobytes; painted regions more.
_LARGEST = 16_000_000


def read_settings_file(path: Path) -> Settings:
    """The current proof's settings of a sidecar, or settings as they are written by hand.

    Raises
    ------
    ReadError
        When it cannot be read or is no JSON.
    SettingError
        When it is JSON, but no settings.
    """
    text = read_small(path, _LARGEST, "settings")
    if text is None:
        raise ReadError(path, "the file is not there")
    try:
        data = json.loads(text.decode("utf-8"))
    except (ValueError, RecursionError) as error:
        raise ReadError(path, "the settings are not valid JSON") from error
    if isinstance(data, dict) and "proofs" in data:
        sidecar = read_proofs(path)
        return sidecar.proofs[sidecar.current].settings
    return Settings.from_dict(data)
