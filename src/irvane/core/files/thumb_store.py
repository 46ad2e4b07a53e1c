"""Small pictures of frames on disk, by content: a folder that was seen before is there at once the next time.

Trouble with the store (full disk, damaged file) is never an error: the picture is made again.
"""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

import imagecodecs
import numpy as np
import platformdirs

from irvane.core.errors import WriteError
from irvane.core.files.atomic import atomic_file
from irvane.core.files.cache import make_room
from irvane.core.files.thumbnails import Preview, preview

#: Longer side of a small picture, quality of the JPEG it is kept as, bytes that all may take, and how often that is looked at.
SIDE, _QUALITY, LIMIT, _LOOK = 512, 88, 600_000_000, 200


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
        return self.folder / f"{key}.jpg"

    def get(self, path: Path, key: str) -> Preview:
        """The small picture of a frame with this content, from the store or made anew.

        Raises
        ------
        ReadError
            When there is nothing to show.
        """
        kept = self._path(key)
        with suppress(Exception):  # damaged, or gone meanwhile
            data = kept.read_bytes()
            height, width = (int.from_bytes(data[-8 + k : -4 + k or None], "big") for k in (0, 4))
            pixels = imagecodecs.jpeg8_decode(data[:-8])
            if pixels.ndim == 3 and 0 < height <= 65_535 and 0 < width <= 65_535:
                os.utime(kept)
                return Preview(np.ascontiguousarray(pixels), (height, width))
        made = preview(path, SIDE)
        self._keep(kept, made)
        return made

    def _keep(self, path: Path, made: Preview) -> None:
        coded = bytes(imagecodecs.jpeg8_encode(np.ascontiguousarray(made.pixels[..., :3]), level=_QUALITY))
        sizes = b"".join(int(side).to_bytes(4, "big") for side in made.extent)  # behind the end of the JPEG
        with suppress(OSError, WriteError):
            self.folder.mkdir(parents=True, exist_ok=True)
            with atomic_file(path) as temporary:
                temporary.write_bytes(coded + sizes)
        self._put += 1
        if self._put % _LOOK == 1:
            make_room(self.folder, "*.jpg", self.limit)
