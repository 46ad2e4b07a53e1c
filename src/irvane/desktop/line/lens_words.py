"""What the station Lens says: which profile is used, what was measured, what of the frame is seen."""

from __future__ import annotations

from irvane.core.lens.corrections import AUTO, corrections_of
from irvane.core.lens.framing import bending_only
from irvane.core.lens.profile import find_profile
from irvane.core.line.frame import Frame
from irvane.core.settings import Settings, value_text

_CORRECTED = {"distortion": "distortion", "vignetting": "vignetting", "aberration": "aberration"}


def found_profile(frame: Frame) -> str:
    """What automatic finds for a frame's lens, in words."""
    facts = frame.context.lens
    if not facts.raw:
        return "not for finished pictures"
    corrections = corrections_of(facts, bending_only(Settings().lens))
    return corrections.words or "none found"


def lens_word(settings: Settings, frame: Frame | None) -> str:
    """The station in a word or two, for the line."""
    lens, parts = settings.lens, []
    if frame is not None:
        corrections = corrections_of(frame.context.lens, bending_only(lens))
        if corrections.words:
            parts.append("by the file" if corrections.of_file else "profile")
        if corrections.measured:
            parts.append("aberration")
    if lens.vignetting:
        parts.append(f"corners {value_text('lens.vignetting', lens.vignetting)}")
    if lens.fringing:
        parts.append("fringes")
    if lens.straighten:
        parts.append(value_text("lens.straighten", lens.straighten))
    if frame is not None and frame.geometry(settings).kept < 0.9995:
        parts.append(f"field {frame.geometry(settings).kept * 100:.0f} %")
    return ", ".join(parts) or "off"


def lens_text(settings: Settings, frame: Frame) -> str:
    """What is known of the lens and what is corrected, in sentences."""
    facts, lens = frame.context.lens, settings.lens
    optics = facts.optics
    corrections = corrections_of(facts, bending_only(lens))
    name = optics.lens or "No lens is named in the file"
    focal = f", {optics.focal:g} mm" if optics.focal else ""
    said = [f"{name}{focal}."]
    if corrections.of_file:
        said.append("Corrected as the file says.")
    elif corrections.profile is not None:
        profile = corrections.profile
        what = ", ".join(_CORRECTED[one] for one in profile.corrects) or "nothing"
        said.append(f"Profile: {profile.name} ({profile.sure}), for {what}.")
    elif lens.profile == AUTO and facts.raw:
        likely = find_profile(optics)
        said.append(
            "No profile found: choose one by name." if likely is None
            else f"Not certain, so not used: {' or '.join((likely.name, *likely.others))}. Choose above."
        )  # fmt: skip
    if optics.skipped:
        said.append(f"Left out of the file's corrections: {', '.join(optics.skipped)}.")
    found = facts.aberration
    if found is not None:
        red, blue = found.corner
        how = "corrected" if corrections.measured else "certain" if found.sure else "too little to correct"
        said.append(f"Aberration measured in the corner: red {red:+.2f} px, blue {blue:+.2f} px ({how}).")
    if facts.falloff is not None and facts.falloff.sure:
        said.append(f"Light lost in the corners, measured: {facts.falloff.corner:.1f} EV.")
    return " ".join(said).replace("-0", "−0").replace(" px -", " px −")
