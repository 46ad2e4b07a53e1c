"""What results that are kept on disk are known by."""

from __future__ import annotations

from irvane.core.line.colouring import denoised_name
from irvane.core.line.develop import Developed
from irvane.core.line.steps import developing
from irvane.core.noise import denoise
from irvane.core.noise.denoise import Removal
from irvane.core.sensor import defects, unclip
from irvane.core.settings import Sensor


def denoised_key(content: str, developed: Developed, sensor: Sensor, removal: Removal) -> str:
    """Identity of a denoised picture: everything that it depends on, methods and weights included."""
    assert developed.cfa is not None
    method = denoise.method_for(developed.cfa, removal.kind, removal.by)
    parts = (
        content,
        developing(sensor),
        developed.gains.tolist(),
        developed.noise,
        removal.strength,
        removal.by,
        method.name,
        denoised_name(developed.cfa, sensor, removal),
        defects.fingerprint(),
        unclip.NAME,
    )
    return " ".join(map(str, (*parts, method.fingerprint())))
