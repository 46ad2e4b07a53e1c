"""What the file of a frame says of its shot, on a card: every value with the tag that it comes from."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QWidget

from irvane.core.files.info import FrameInfo, exposure_text, place_text
from irvane.desktop.bench.card import Card


def shot_lines(info: FrameInfo) -> list[str]:
    """The values one below the other; one sentence where there is none."""
    if not info.shot:
        return ["Its file says nothing of the shot."]
    named = info.model.casefold().startswith(info.make.casefold().partition(" ")[0])
    camera = info.model if named else f"{info.make} {info.model}".strip()
    first = " · ".join(part for part in (camera, exposure_text(info), place_text(info)) if part)
    values = "\n".join(f"{one.name}: {one.words}  ({one.origin.removeprefix('Exif.')})" for one in info.shot)
    return [first, values]


def show_shot(path: Path, info: FrameInfo, window: QWidget) -> Card:
    """Open the card beside the pointer."""
    card = Card(path.name, shot_lines(info), window)
    card.show_at(QCursor.pos())
    return card
