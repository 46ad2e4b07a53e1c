"""What new proofs begin with: the preset that was chosen for that, and the profile that was chosen for a
lens."""

from __future__ import annotations

from pathlib import Path

from irvane.core.files.info import FrameInfo, read_info
from irvane.core.files.preferences import choose, preferences
from irvane.core.files.presets import presets_folder, starting
from irvane.core.files.proofs import FIRST, Proof, Sidecar
from irvane.core.settings import Settings


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


def softness_key(info: FrameInfo) -> str:
    """What a lens's softness depends on: the lens, its focal length and its aperture."""
    numbers = (f"{v:g}" if v else "" for v in (info.focal, info.aperture))
    return "|".join((info.make, info.model, info.lens, *numbers))


def keep_softness(info: FrameInfo, softness: tuple[float, float] | None) -> None:
    """New proofs of frames with the same lens, focal length and aperture begin with this softness (σ in the
    middle and in the corners, pixels; None: with none).

    Raises
    ------
    WriteError
        When it cannot be saved.
    """
    kept = [row for row in preferences().softness if row[0] != softness_key(info)]
    if softness is not None:
        kept.append((softness_key(info), *softness))
    choose(softness=tuple(kept))


def kept_softness(info: FrameInfo) -> tuple[float, float] | None:
    """The softness that is kept for a frame's lens; None for none."""
    own = {row[0]: row[1:] for row in preferences().softness}.get(softness_key(info))
    return None if own is None else (own[0], own[1])


def begun(frame: Path, merge: bool = False) -> Sidecar | None:
    """What a frame without proofs starts with, where a preset or a profile for its lens was chosen for
    that."""
    preset = None if merge else starting(presets_folder())
    asks = preferences().lenses or preferences().softness
    info = read_info(frame) if asks else None
    profile = None if info is None else remembered(info)
    softness = None if info is None else kept_softness(info)
    method = preferences().new_frames.method
    fresh = Settings().with_value("noise.method", method)
    if softness is not None:
        fresh = fresh.with_values({"acutance.radius": softness[0], "acutance.corners": softness[1]})
    if preset is None and profile is None and fresh == Settings():
        return None
    settings = fresh if profile is None else fresh.with_value("lens.profile", profile)
    settings = settings if preset is None else preset.applied(settings)
    return Sidecar((Proof("Proof 1", settings, id=FIRST),))
