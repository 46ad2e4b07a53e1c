"""Arrays that wait on disk: what is shown but seldom read as a whole need not stay in memory."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from pathlib import Path

import numpy as np

#: Share of the free disk that one array may take.
_SHARE_OF_FREE = 0.5


class Paged:
    """An array in a file without a name, gone with the last use of it; parts are read as they are asked for.

    Parameters
    ----------
    array : rows × columns × …, C-contiguous.
    folder : where the file lies.

    Raises
    ------
    OSError
        When the folder cannot be written, or the disk has little room; later, when the file cannot be read.
    """

    nbytes = 0  # of memory

    def __init__(self, array: np.ndarray, folder: Path) -> None:
        if array.nbytes > _SHARE_OF_FREE * shutil.disk_usage(folder).free:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(folder))
        self.shape, self.dtype = array.shape, array.dtype
        self._row = array[0].nbytes
        self._pixel = array[0, 0].nbytes
        self._file = tempfile.TemporaryFile(dir=folder, prefix="irvane-", buffering=0)  # noqa: SIM115
        try:
            waiting = array.data.cast("B")
            while waiting:
                waiting = waiting[self._file.write(waiting) :]
        except BaseException:
            self._file.close()
            raise

    def __getitem__(self, place: tuple[slice, slice]) -> np.ndarray:
        """A part by rows and columns, as a new array."""
        top, bottom, _ = place[0].indices(self.shape[0])
        left, right, _ = place[1].indices(self.shape[1])
        out = np.empty((max(0, bottom - top), max(0, right - left), *self.shape[2:]), self.dtype)
        if not out.size:
            return out
        if out.shape[1] == self.shape[1]:
            self._read(out, top * self._row)
        else:
            for y in range(len(out)):
                self._read(out[y], (top + y) * self._row + left * self._pixel)
        return out

    def _read(self, out: np.ndarray, place: int) -> None:
        missing = out.data.cast("B")
        while missing:
            count = os.preadv(self._file.fileno(), [missing], place)
            if count == 0:
                raise OSError(f"The file ends before byte {place}.")
            missing, place = missing[count:], place + count
