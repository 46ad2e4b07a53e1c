"""Small pictures of frames on disk, by content: a folder that was seen before is there at once the next time.

Trouble with the store (full disk, damaged file) is never an error: the picture is made again.
"""

from __future__ import annotations

import hashlib
import json
import os
from contextlib import suppress
from pathlib import Path

import platformdirs

from irvane.core.errors import WriteError
from irvane.core.files.thumbnails import Preview, preview
from irvane.core.settings import Settings
from irvane.core.store.atomic import atomic_file
from irvane.core.store.cache import make_room

#: Longer side of a small picture, bytes that all may take, and how often that is looked at.
SIDE, LIMIT, _LOOK = 512, 600_000_000, 200
#: Changed when small pictures are made otherwise: those on disk are made again.
_MAKING = "c"


class ThumbStore:
    """Small pictures in a folder; the oldest go first.

    Parameters
    ----------
    folder : made when needed; the user's cache folder when None.
    limit : bytes that they may take together.
    """

    def __init__(self, folder: Path | None = None, limit: int = LIMIT) -> None:
        self.folder = folder or platformdirs.user_cache_path("irvane") / "thumbs"
        self.limit = limit
        self._put = 0

    def _path(self, key: str) -> Path:
        return self.folder / f"{key}.{_MAKING}.jpg"

    def get(self, path: Path, key: str) -> Preview:
        """The small picture of a frame with this content, from the store or made anew.

        Raises
        ------
        ReadError
            When there is nothing to show.
        """
        kept = self._path(key)
        found = self._read(kept)
        if found is None:
            found = preview(path, SIDE)
            self._keep(kept, found)
        return found

    def kept(self, key: str) -> Preview | None:
        """The small picture of a frame with this content, where it is there."""
        return self._read(self._path(key))

    def own(self, key: str, settings: Settings) -> Preview | None:
        """The small picture of a frame's own development; None while it has none under these settings."""
        return self._read(self._path(_developed(key, settings)))

    def keep_own(self, key: str, settings: Settings, made: Preview) -> None:
        """Keep the small picture of a development."""
        self._keep(self._path(_developed(key, settings)), made)

    @staticmethod
    def _read(kept: Path) -> Preview | None:
        with suppress(OSError, ValueError):  # damaged, or gone meanwhile
            data = kept.read_bytes()
            height, width = (int.from_bytes(data[-8 + k : -4 + k or None], "big") for k in (0, 4))
            found = Preview(data[:-8], (height, width))
            if found.small.size and 0 < height <= 65_535 and 0 < width <= 65_535:
                os.utime(kept)
                return found
        return None

    def _keep(self, path: Path, made: Preview) -> None:
        sizes = b"".join(int(side).to_bytes(4, "big") for side in made.extent)  # behind the end of the JPEG
        with suppress(OSError, WriteError):
            self.folder.mkdir(parents=True, exist_ok=True)
            with atomic_file(path, synced=False) as temporary:  # one that is lost is made again
                temporary.write_bytes(made.coded + sizes)
        self._put += 1
        if self._put % _LOOK == 1:
            make_room(self.folder, "*.jpg", self.limit)


def _developed(key: str, settings: Settings) -> str:
    """Name of a development: of the frame's content and all settings."""
    values = json.dumps(settings.as_dict(), sort_keys=True).encode()
    return f"{key}-{hashlib.blake2b(values, digest_size=8).hexdigest()}"
