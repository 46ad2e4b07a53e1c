"""What a pane wants to show."""

from __future__ import annotations

from dataclasses import dataclass

from irvane.core.line.clip_flags import Limits
from irvane.core.line.looks import PICTURE
from irvane.core.line.source import Source
from irvane.core.line.view import SCREEN
from irvane.core.places import OutputRegion
from irvane.core.settings import Settings


@dataclass(frozen=True)
class ViewRequest:
    """What a pane wants to show."""

    source: Source
    settings: Settings
    region: OutputRegion
    offset: float = 0.0
    look: str = PICTURE
    marks: Limits | None = None
    space: str = SCREEN
