"""The screen's own colours: pictures are turned into those of the monitor's profile when one is given.

A proof is then seen in the colour space that it will be written in; without a profile the screen is taken for
sRGB.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from PySide6.QtCore import QSettings
from PySide6.QtGui import QColorSpace, QImage

from irvane.core.colour.icc import profile
from irvane.core.errors import ReadError
from irvane.core.line.view import SCREEN as SRGB

_KEY = "monitor-profile"
#: Larger files are no profiles of monitors.
_MOST = 16_000_000


@lru_cache
def _space(key: str) -> QColorSpace:
    return QColorSpace.fromIccProfile(profile(key))


def _rgb(data: bytes) -> QColorSpace | None:
    """A profile that a screen can have; None for others."""
    space = QColorSpace.fromIccProfile(data)
    fits = space.isValid() and space.colorModel() == QColorSpace.ColorModel.Rgb
    return space if fits else None


def picture_of(pixels: np.ndarray) -> QImage:
    """A QImage that owns its pixels (uint8 H×W×4 RGBA or H×W×3 RGB)."""
    h, w, channels = pixels.shape
    form = QImage.Format.Format_RGBX8888 if channels == 4 else QImage.Format.Format_RGB888
    # copy: the array may go before the image does
    return QImage(np.ascontiguousarray(pixels).data, w, h, w * channels, form).copy()


class Screen:
    """How pictures are shown.

    Attributes
    ----------
    path : the profile in use; None: the screen is taken for sRGB.
    name : what the profile calls itself.
    found : the profile was found by itself; False when it was chosen by hand, or there is none.
    """

    def __init__(self) -> None:
        self.path: Path | None = None
        self.name = "sRGB"
        self.found = False
        self._space: QColorSpace | None = None

    def use(self, path: Path | None) -> None:
        """Show pictures through a profile (ICC, RGB), or through none.

        Raises
        ------
        ReadError
            When the file is no profile of a screen; what was in use before stays.
        """
        if path is None:
            self.path, self.name, self._space, self.found = None, "sRGB", None, False
            return
        try:
            data = path.read_bytes() if path.stat().st_size < _MOST else b""
        except OSError as error:
            raise ReadError(path, f"the profile cannot be read ({error.strerror})") from error
        space = _rgb(data)
        if space is None:
            raise ReadError(path, "this is no ICC profile of a screen")
        self.path, self.name, self._space, self.found = path, space.description() or path.stem, space, False

    def use_found(self, profile: bytes | Path | None) -> bool:
        """Show pictures through a profile that was found for the screen, unless one was chosen by hand; did
        anything change?"""
        if self.path is not None and not self.found:
            return False
        try:
            data = profile.read_bytes() if isinstance(profile, Path) else profile or b""
        except OSError:
            data = b""
        space, before = _rgb(data), self.name
        self.path, self._space, self.found = None, space, space is not None
        self.name = "sRGB" if space is None else space.description() or "the screen's own"
        return self.name != before

    def space(self, written: str) -> str:
        """The colour space in which a proof is rendered for this screen, when it will be written in
        `written`."""
        return SRGB if self._space is None else written

    def shown(self, image: QImage, space: str) -> QImage:
        """A picture in a colour space (its key) as the screen needs it."""
        target = _space(SRGB) if self._space is None else self._space
        if self._space is None and space == SRGB:
            return image
        image.setColorSpace(_space(space))
        return image.convertedToColorSpace(target)

    def in_srgb(self, pixels: np.ndarray, space: str) -> np.ndarray:
        """Pixels (uint8 H×W×4) in a colour space as sRGB: uint8 H×W×3."""
        if space == SRGB:
            return pixels[..., :3].copy()
        image = picture_of(pixels)
        image.setColorSpace(_space(space))
        there = image.convertedToColorSpace(_space(SRGB), QImage.Format.Format_RGBX8888)
        data = np.frombuffer(there.constBits(), np.uint8).reshape(there.height(), there.bytesPerLine())
        return data[:, : there.width() * 4].reshape(pixels.shape)[..., :3].copy()

    def remembered(self) -> None:
        """Use the profile of the last time, as long as it is there."""
        name = QSettings("irvane", "irvane").value(_KEY, "")
        try:
            self.use(Path(str(name)) if name else None)
        except ReadError:
            self.use(None)

    def remember(self) -> None:
        """Use the present profile the next time too."""
        QSettings("irvane", "irvane").setValue(_KEY, str(self.path or ""))


#: The one screen that pictures are shown on.
SCREEN = Screen()
