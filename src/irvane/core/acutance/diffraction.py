"""How much of a lens's softness is diffraction, which no better lens would have spared."""

from __future__ import annotations

#: Wavelength in micrometres that brightness is mostly of (the eye's by day, CIE 1924: 555 nm).
WAVELENGTH = 0.555
#: σ of the Gaussian nearest to an Airy pattern by least squares, in wavelengths times f-numbers; worked out
#: again in the tests.
_GAUSSIAN = 0.42


def diffraction(aperture: float, pitch: float) -> float:
    """Blur that diffraction makes, σ in pixels.

    Parameters
    ----------
    aperture : f-number. pitch : from pixel to pixel, in micrometres.
    """
    return _GAUSSIAN * WAVELENGTH * aperture / pitch
