"""The icons that are shipped, all of our own drawing."""

from __future__ import annotations

from importlib.resources import files

from PySide6.QtGui import QIcon


def icon(name: str) -> QIcon:
    """An icon by its name."""
    return QIcon(str(files("irvane.desktop").joinpath("icons", f"{name}.svg")))
