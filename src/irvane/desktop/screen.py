"""The screen's own colours: pictures in sRGB are turned into those of the monitor's profile when one is given.

Pictures reach the screen through sRGB: colours beyond it are shown at its rim, whatever the monitor could do.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtGui import QColorSpace, QImage

from irvane.core.errors import ReadError

_KEY = "monitor-profile"
_SRGB = QColorSpace(QColorSpace.NamedColorSpace.SRgb)
#: Larger files are no profiles of monitors.
_MOST = 16_000_000


class Screen:
    """How pictures are shown.

    Attributes
    ----------
    path : the profile in use; None: the screen is taken for sRGB.
    name : what the profile calls itself.
    """

    def __init__(self) -> None:
        self.path: Path | None = None
        self.name = "sRGB"
        self._space: QColorSpace | None = None

    def use(self, path: Path | None) -> None:
        """Show pictures through a profile (ICC, RGB), or through none.

        Raises
        ------
        ReadError
            When the file is no profile of a screen; what was in use before stays.
        """
        if path is None:
            self.path, self.name, self._space = None, "sRGB", None
            return
        try:
            data = path.read_bytes() if path.stat().st_size < _MOST else b""
        except OSError as error:
            raise ReadError(path, f"the profile cannot be read ({error.strerror})") from error
        space = QColorSpace.fromIccProfile(data)
        if not space.isValid() or space.colorModel() != QColorSpace.ColorModel.Rgb:
            raise ReadError(path, "this is no ICC profile of a screen")
        self.path, self.name, self._space = path, space.description() or path.stem, space

    def shown(self, image: QImage) -> QImage:
        """A picture in sRGB as the screen needs it."""
        if self._space is None:
            return image
        image.setColorSpace(_SRGB)
        return image.convertedToColorSpace(self._space)

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
