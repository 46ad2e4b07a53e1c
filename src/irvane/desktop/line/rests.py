"""Why a control rests: in a sentence, with what would free it, said alike wherever it is greyed."""

from __future__ import annotations

from irvane.core.line.deblurring import FEWEST_BLADES
from irvane.core.settings import Choice, Settings, spec

#: Why a frame's controls rest where it is shown bare.
BARE_RESTS = (
    "This pane shows the bare frame, which has no settings: choose the other pane, press B for the proof, "
    "or N "
    "for a new one."
)
#: Settings of deblurring, and the causes that they belong to.
_OF_CAUSE = {
    "acutance.radius": ("lens", "defocus"),
    "acutance.corners": ("lens",),
    "acutance.blades": ("defocus",),
    "acutance.length": ("motion",),
    "acutance.angle": ("motion", "defocus"),
    "acutance.path": ("motion",),
    "acutance.roll": ("motion",),
}


#: Settings that belong to the value of a choice: that choice, its values, and where it is found.
_OF_CHOICE = {
    "light.tone_strength": ("light.tone_map", ("photographic", "local")),
    "light.tone_key": ("light.tone_map", ("photographic", "local")),
    "finish.quality": ("finish.format", ("jpeg", "jxl", "avif")),
    "finish.tone": ("finish.format", ("exr", "radiance")),
    "finish.enlarge_by": ("finish.enlarge", ("1.5", "2", "4")),
    "sensor.banding_width": ("sensor.banding", ("rows", "columns", "both")),
} | {path: ("acutance.deblur", causes) for path, causes in _OF_CAUSE.items()}


def belongs_elsewhere(path: str, settings: Settings) -> bool:
    """Does a setting belong to another value of a choice than the one in force?"""
    if path not in _OF_CHOICE:
        return False
    choice, values = _OF_CHOICE[path]
    return settings.get(choice) not in values


def why_rests(path: str, settings: Settings) -> str:
    """Why a setting does nothing beside the others, and what would free it; empty where it acts."""
    acutance = settings.acutance
    if belongs_elsewhere(path, settings):
        choice, values = _OF_CHOICE[path]
        declared = spec(choice)
        assert isinstance(declared, Choice)
        words = dict(declared.options)
        wanted = " or ".join(f"“{words[one]}”" for one in values)
        return f"It does something with {wanted}: choose that under {declared.label}."
    if path in ("acutance.length", "acutance.angle") and acutance.deblur == "motion" and acutance.path:
        return "The path that is drawn stands in its place: a double click on the name Path takes it away."
    if path == "acutance.angle" and acutance.deblur == "defocus" and acutance.blades < FEWEST_BLADES:
        return f"Round discs have no corners to turn: give Blades {FEWEST_BLADES} or more."
    if path in ("acutance.method", "acutance.deblur_strength") and acutance.deblur == "off":
        return "Nothing is deblurred: choose a cause first."
    return ""


#: Said of what parts of one frame cannot have each for themselves.
SHARED = (
    "The whole frame shares this, so a region cannot have its own: choose “the whole frame” in the strip of "
    "regions to change it."
)
#: Said of deblurring's size and method, which a region takes from the frame.
_SHARED_BLUR = (
    "A region undoes the blur that the frame has, with the size and method set for the whole frame: choose "
    "“the whole frame” in the strip of regions to set them."
)


def why_shared(path: str) -> str:
    """Why a setting cannot differ in a region."""
    return _SHARED_BLUR if path in ("acutance.method", *_OF_CAUSE) else SHARED
