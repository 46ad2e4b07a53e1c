"""What a pane wants to show."""

from __future__ import annotations

from dataclasses import dataclass

from irvane.core.colour.soft_proof import SoftProof
from irvane.core.line.clip_flags import Limits
from irvane.core.line.looks import PICTURE, on_medium
from irvane.core.line.source import Source
from irvane.core.line.tasks import Request
from irvane.core.line.view import SCREEN, Rendered
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings


@dataclass(frozen=True)
class Owner:
    """What a figure, a text or a picture belongs to: a source under a proof's settings."""

    source: Source
    settings: Settings


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
    medium: SoftProof | None = None

    @property
    def owner(self) -> Owner:
        """What is shown, wherever and however it is seen."""
        return Owner(self.source, self.settings)

    @property
    def wanted(self) -> Request:
        """What of the source it is made of."""
        return Request(self.settings, self.region, self.look)

    def on_medium(self, rendered: Rendered) -> Rendered:
        """What was rendered, as it will look on the medium that it is proofed for."""
        return rendered if self.medium is None or self.look != PICTURE else on_medium(rendered, self.medium)
