"""Lens profiles that were chosen for lenses whose files do not name them well: new proofs begin with them."""

from __future__ import annotations

from irvane.core.files.info import FrameInfo
from irvane.core.files.preferences import choose, preferences


def lens_key(info: FrameInfo) -> str:
    """What a file says of its lens: camera, lens, and of lenses without a name the focal length."""
    focal = "" if info.lens or not info.focal else f"{info.focal:g}"
    return "|".join((info.make, info.model, info.lens, focal))


def remember(info: FrameInfo, profile: str) -> None:
    """New proofs of frames with the same lens begin with this profile (``auto``: as it is without).

    Raises
    ------
    WriteError
        When it cannot be saved.
    """
    kept = {key: name for key, name in preferences().lenses if key != lens_key(info)}
    if profile != "auto":
        kept[lens_key(info)] = profile
    choose(lenses=tuple(kept.items()))


def remembered(info: FrameInfo) -> str | None:
    """The profile that was chosen for a frame's lens; None for none."""
    return dict(preferences().lenses).get(lens_key(info))
