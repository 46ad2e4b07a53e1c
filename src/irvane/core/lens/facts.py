"""What ``irvane info`` says of the lens."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from irvane.core.lens.corrections import LensFacts, corrections_of
from irvane.core.lens.framing import bending_only, geometry_of
from irvane.core.lens.optics import Warp
from irvane.core.lens.profile import find_profile
from irvane.core.stations import Lens


def lens_facts(facts: LensFacts, lens: Lens = Lens()) -> dict[str, Any]:
    """A frame's lens, its profile and what that corrects, the share of the frame that is kept, and what was
    measured.

    Aberrations are shifts of red and blue against green in the corner, in pixels, outwards positive.
    """
    corrections = corrections_of(facts, bending_only(lens))
    geometry = geometry_of(facts, lens)
    profile = corrections.profile
    likely = find_profile(facts.optics) if profile is None and facts.raw else None
    said: dict[str, Any] = {
        "name": facts.optics.lens or None,
        "profile": "file" if corrections.of_file else None if profile is None else profile.name,
        "sure": "certain" if corrections.of_file else None if profile is None else profile.sure,
        "likely": None if likely is None or likely.sure == "certain" else likely.name,
        "corrects": [] if profile is None else list(profile.corrects),
        "field_of_view_kept": round(geometry.kept, 4),
        "output": [geometry.output[1], geometry.output[0]],
        "focus_distance_m": facts.optics.distance,
        "skipped": list(facts.optics.skipped),
    }
    if corrections.of_file:
        warped = facts.optics.has(Warp)
        said["corrects"] = (["distortion"] if warped else []) + (
            ["vignetting"] if corrections.gains is not None or corrections.grids else []
        )
    if facts.aberration is not None:
        (red, blue), error = facts.aberration.corner, facts.aberration.error
        said["aberration_px"] = {
            "red": round(red, 3), "blue": round(blue, 3), "error": [round(e, 3) for e in error],
            "sure": facts.aberration.sure,
        }  # fmt: skip
    if facts.falloff is not None:
        said["falloff_ev"] = {
            **{k: round(v, 3) for k, v in asdict(facts.falloff).items()},
            "sure": facts.falloff.sure,
        }
    return said
