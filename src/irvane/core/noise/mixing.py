"""Mixing the plain and the denoised picture: what every noise control does, without denoising again.

The change that denoising made is split by scale, weighted by brightness, channel and kind, and added to the
plain picture. Where all shares are 1 the result is the denoised picture, where all are 0 the plain one.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.kernels import blank, flat, serial
from irvane.core.powers import log2
from irvane.core.threads import each, strips

#: Pixels (of the view) around a place that its result depends on.
REACH = 16
#: Standard deviations, in frame pixels, that part fine from medium and medium from coarse noise.
_FINE, _COARSE = 0.9, 3.6
#: Stops below clipping at which shadows, mid-tones and highlights have their full share; between them it
#: changes evenly.
TONES = (-9.0, -5.0, -1.0)
_SMOOTH = 1.5
#: Local contrast, in standard deviations of the noise, at which half of the texture is given back.
_TEXTURE_AT = 0.5
_STRIP = 96


@dataclass(frozen=True)
class Shares:
    """Shares 0…1 of the change that is made.

    Attributes
    ----------
    luminance, colour : of its two kinds.
    tones : in shadows, mid-tones, highlights.
    scales : of fine, medium and coarse noise.
    channels : of red, green and blue.
    texture : of the luminance change that is given back where there is structure.
    """

    luminance: float = 1.0
    colour: float = 1.0
    tones: tuple[float, float, float] = (1.0, 1.0, 1.0)
    scales: tuple[float, float, float] = (1.0, 1.0, 1.0)
    channels: tuple[float, float, float] = (1.0, 1.0, 1.0)
    texture: float = 0.0

    @property
    def is_nothing(self) -> bool:
        """Does the plain picture stay?"""
        return (self.luminance, self.colour) == (0, 0) or any(
            not any(part) for part in (self.tones, self.scales, self.channels)
        )

    @property
    def is_all(self) -> bool:
        """Is it the denoised picture?"""
        return self == Shares()

    @property
    def is_local(self) -> bool:
        """Does a pixel depend on its own values alone?"""
        ones = (1.0, 1.0, 1.0)
        return self.texture == 0 and self.scales == ones and self.tones == ones


@serial
def _mix(plain, change, weights, texture, gains, channels, luminance, colour, out):
    k0, k1, k2 = gains[0], gains[1], gains[2]
    for i in range(weights.size):
        w = weights[i]
        d0 = change[3 * i] * k0 * channels[0] * w
        d1 = change[3 * i + 1] * k1 * channels[1] * w
        d2 = change[3 * i + 2] * k2 * channels[2] * w
        # luminance of the change: green counts double, as in a Bayer cell
        common = np.float32(0.25) * (d0 + 2 * d1 + d2)
        shared = (luminance * (1 - texture[i]) - colour) * common
        out[3 * i] = plain[3 * i] + (shared + colour * d0) / k0
        out[3 * i + 1] = plain[3 * i + 1] + (shared + colour * d1) / k1
        out[3 * i + 2] = plain[3 * i + 2] + (shared + colour * d2) / k2


@serial
def _luminance(picture, gains, out):
    for i in range(out.size):
        out[i] = np.float32(0.25) * (
            picture[3 * i] * gains[0] + 2 * picture[3 * i + 1] * gains[1] + picture[3 * i + 2] * gains[2]
        )


@serial
def _tone_weights(luminance, stops, shares, out):
    for i in range(out.size):
        ev = log2(max(luminance[i], np.float32(1e-6)))
        low = min(max((ev - stops[0]) / (stops[1] - stops[0]), np.float32(0)), np.float32(1))
        high = min(max((ev - stops[1]) / (stops[2] - stops[1]), np.float32(0)), np.float32(1))
        out[i] = shares[0] + low * (shares[1] - shares[0]) + high * (shares[2] - shares[1])


@serial
def _texture_shares(contrast2, luminance, gain, read2, most, at2, out):
    for i in range(out.size):
        noise2 = gain * max(luminance[i], np.float32(0)) + read2
        out[i] = most * contrast2[i] / (contrast2[i] + at2 * noise2)


def _blur(picture: np.ndarray, sigma: float) -> np.ndarray:
    return cv2.GaussianBlur(picture, (0, 0), sigma) if sigma > 0.25 else picture


def _by_scale(change: np.ndarray, scales: tuple[float, float, float], step: float) -> np.ndarray:
    if len(set(scales)) == 1:
        return change * np.float32(scales[0])
    finer = _blur(change, _FINE / step)
    coarser = _blur(change, _COARSE / step)
    fine, medium, coarse = (np.float32(s) for s in scales)
    return fine * (change - finer) + medium * (finer - coarser) + coarse * coarser


def mix(
    plain: np.ndarray,
    clean: np.ndarray,
    gains: np.ndarray,
    shares: Shares,
    noise: NoiseModel | None = None,
    step: float = 1.0,
) -> np.ndarray:
    """Plain picture plus shares of the change that denoising made.

    Parameters
    ----------
    plain, clean : float32, H×W×3, camera-linear.
    gains : white-balance gains under which luminance and colour are told apart.
    noise : model of the frame's noise, for giving texture back; no texture is given back without it.
    step : frame pixels per pixel.
    """
    if shares.is_nothing:
        return plain
    if shares.is_all:
        return clean
    out = blank(plain)
    h = plain.shape[0]
    around = 0 if shares.is_local else REACH

    def work(rows: tuple[int, int]) -> None:
        top, bottom = max(0, rows[0] - around), min(h, rows[1] + around)
        inner = slice(rows[0] - top, rows[1] - top)
        _mix_strip(
            plain[top:bottom], clean[top:bottom], gains.astype(np.float32), shares, noise, step, inner,
            out[rows[0] : rows[1]],
        )  # fmt: skip

    for _ in each(work, strips(h, _STRIP)):
        pass
    return out


def _mix_strip(
    plain: np.ndarray, clean: np.ndarray, gains: np.ndarray, shares: Shares, noise: NoiseModel | None,
    step: float,
    inner: slice, out: np.ndarray,
) -> None:  # fmt: skip
    change = _by_scale(clean - plain, shares.scales, step)
    weights = np.ones(plain.shape[:2], np.float32)
    texture = np.zeros(plain.shape[:2], np.float32)
    if not shares.is_local:
        luminance = np.empty(plain.shape[:2], np.float32)
        _luminance(flat(clean), gains, flat(luminance))
        smooth = _blur(luminance, _SMOOTH / step)
        if len(set(shares.tones)) > 1 or shares.tones[0] != 1:
            _tone_weights(
                flat(smooth), np.array(TONES, np.float32), np.array(shares.tones, np.float32), flat(weights)
            )
        if shares.texture and noise is not None:
            contrast2 = _blur((luminance - _blur(luminance, 2 * _SMOOTH / step)) ** 2, _SMOOTH / step)
            gain = np.float32(np.mean(np.array(noise.gain) * gains))
            read2 = np.float32(np.mean((np.array(noise.read) * gains) ** 2))
            _texture_shares(
                flat(contrast2), flat(smooth), gain, read2, np.float32(shares.texture),
                np.float32(_TEXTURE_AT**2), flat(texture),
            )  # fmt: skip
    _mix(
        flat(plain[inner]), flat(change[inner]), flat(weights[inner]), flat(texture[inner]), gains,
        np.array(shares.channels, np.float32), np.float32(shares.luminance), np.float32(shares.colour),
        flat(out),
    )  # fmt: skip
