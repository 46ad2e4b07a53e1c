"""How far a frame is sharpened by itself: as its own edges ask for, as its noise allows, and no farther."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irvane.core.acutance.blur_cause import NONE, SHARP, UNSURE, Cause
from irvane.core.acutance.blurs import LENS
from irvane.core.settings import Acutance

#: Fine strength, in per cent, per pixel of softness (σ) beyond what sharp frames seem to have; least and
#: most; softness from which the medium scale joins, and by how much per pixel.
_FINE, _FROM, _LEAST, _MOST = 250.0, 0.42, 10.0, 110.0
_MEDIUM_FROM, _MEDIUM = 0.8, 70.0
#: Signal-to-noise ratio of mid-grey, as it is after denoising, below which nothing is sharpened, and from
#: which noise does not count.
_NOISY, _CLEAN = 8.0, 30.0
#: Standard deviations of noise below which the automatic leaves differences alone.
_FLOOR = 3.0
#: Mild sharpening: fine strength in per cent per pixel of softness beyond what a sharp frame may have, and
#: the most.
_MILD, _MILDEST = 120.0, 40.0
#: Part that is left where the frame moved or was out of focus: sharpening does not undo that.
_OTHERWISE = 0.4


@dataclass(frozen=True)
class Strengths:
    """Automatic strengths in per cent, and a sentence on them."""

    fine: float
    medium: float
    words: str

    def on(self, settings: Acutance) -> Acutance:
        """The settings with these added to what is set by hand."""
        if not self.fine + self.medium:
            return settings
        fine, medium = min(settings.fine + self.fine, 200.0), min(settings.medium + self.medium, 200.0)
        return replace(settings, fine=fine, medium=medium, noise_floor=max(settings.noise_floor, _FLOOR))


def capture_strengths(softness: float | None, cause: Cause | None, snr: float, deblurred: bool) -> Strengths:
    """The mild sharpening of new proofs, only where a lens has softened the frame; parameters as of
    :func:`automatic_strengths`."""
    if softness is None or cause is None or cause.cause != LENS or deblurred:
        return Strengths(0.0, 0.0, "")
    quiet = float(np.clip((snr - _NOISY) / (_CLEAN - _NOISY), 0, 1))
    fine = round(quiet * float(np.clip(_MILD * (softness - SHARP), 0, _MILDEST)))
    if not fine:
        return Strengths(0.0, 0.0, "")
    return Strengths(
        float(fine), 0.0, f"Sharpened by {fine} % fine: the lens has left edges {softness:.1f} px soft."
    )


def automatic_strengths(
    softness: float | None, cause: Cause | None, snr: float, deblurred: bool
) -> Strengths:
    """What a frame is sharpened by.

    Parameters
    ----------
    softness : σ in pixels by which its sharpest edges are softer than a sharp frame's; None when there are
        too few.
    cause : what softened it. snr : of mid-grey, what is left after denoising. deblurred : is the blur undone
        already?
    """
    if softness is None:
        return Strengths(0.0, 0.0, "Not sharpened: there are too few edges to tell how soft it is.")
    quiet = float(np.clip((snr - _NOISY) / (_CLEAN - _NOISY), 0, 1))
    fine = float(np.clip(_FINE * (softness - _FROM), _LEAST, _MOST))
    medium = float(np.clip(_MEDIUM * (softness - _MEDIUM_FROM), 0, _MOST))
    reasons = [f"its edges are {softness:.1f} px soft" if softness > 0.05 else "its edges are sharp already"]
    if deblurred:
        fine, medium = _LEAST, 0.0
        reasons.append("the rest is deblurred")
    elif cause is not None and cause.cause not in (NONE, LENS, UNSURE):
        fine, medium = _OTHERWISE * fine, _OTHERWISE * medium
        reasons.append("sharpening does not undo a movement or a wrong focus")
    if quiet < 0.95:
        reasons.append(f"noise allows {quiet:.0%}")
    fine, medium = round(fine * quiet), round(medium * quiet)
    words = f"Sharpened by {fine} % fine and {medium} % medium: {', '.join(reasons)}."
    return Strengths(float(fine), float(medium), words)
