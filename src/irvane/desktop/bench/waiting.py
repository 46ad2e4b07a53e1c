"""Deblurring that waits until it is asked for: panes show the proof without it meanwhile, and say so."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from irvane.core.settings import Settings, names

DEBLUR = "acutance.deblur"
WAITS = "deblurring waits (Shift+Y computes it)"
#: What deblurring goes by: all of the station that is named before sharpening.
_BLUR = tuple(path for path in names("acutance") if path.split(".")[1] not in (
    "automatic", "fine", "medium", "coarse", "noise_floor", "overshoot", "texture_guard",
))  # fmt: skip


def _asked(settings: Settings) -> tuple[object, ...]:
    own = tuple(settings.get(path) for path in _BLUR)
    return (*own, *(one.change(DEBLUR) for one in settings.regions))


@dataclass
class Waiting:
    """Does deblurring wait, and for which settings was it asked?"""

    on: bool = False
    computed: set[tuple[object, ...]] = field(default_factory=set)

    def waits(self, settings: Settings) -> bool:
        """Is there deblurring that was not asked for yet?"""
        deblurs = settings.acutance.deblur != "off" or any(one.change(DEBLUR) for one in settings.regions)
        return self.on and deblurs and _asked(settings) not in self.computed

    def ask(self, settings: Settings) -> None:
        """From now on these are computed."""
        self.computed.add(_asked(settings))

    def seen(self, settings: Settings) -> Settings:
        """The settings that a pane is rendered with."""
        if not self.waits(settings):
            return settings
        regions = [one.with_change(DEBLUR, None) for one in settings.regions]
        return replace(settings.with_value(DEBLUR, "off"), regions=tuple(regions))
