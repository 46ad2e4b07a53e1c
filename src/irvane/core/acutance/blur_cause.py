"""What softened a frame: a movement and a wrong focus leave rings and stripes in its spectrum, a lens does
not.

The mean logarithm of the spectra of many small parts is that of the scene, which falls evenly, plus that of
the kernel (as in the cepstral methods since Cannon 1976). What is left after the even part is taken off is
compared with what kernels of every size and direction, seen through noise, would leave there.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain

import cv2
import numpy as np
import scipy

from irvane.core.acutance.blurs import DEFOCUS, LENS, MOTION, Blur, kernel_of
from irvane.core.acutance.edge_blur import Edges
from irvane.core.threads import each

NONE, UNSURE = "none", "unsure"
#: Blur that is wanted, and a focus that may lie on the wrong thing.
PANNING, BACKGROUND, ELSEWHERE = "panning", "background", "elsewhere"
#: Side of a part; share of the parts, those of the most texture, that tell; fewest of them.
SIDE, _TELLING, _FEWEST = 128, 0.6, 12
#: Frequencies that are compared (cycles per pixel), those from which noise is read, and those by which the
#: scene's is placed.
_FROM, _TO, _NOISE, _LOW = 0.025, 0.36, 0.42, (0.03, 0.09)
#: Largest value above the even part that counts.
_PEAK = np.float32(0.4)
#: Bins over which a spectrum is even; power of frequency by which scenes fall.
_EVEN, _FALLS = 5.0, 2.0
#: Likeness from which a cause is looked at closely, from which it is believed, and how far it must be ahead
#: of the other; how many beginnings are followed.
_WORTH, _BELIEVED, _AHEAD, _STARTS = 0.3, 0.43, 0.12, 4
#: Smaller discs are not told from what a lens does.
_LEAST_DISC = 2.5
#: Softness (σ, pixels) below which a frame counts as sharp, and up to which a lens may be the cause.
SHARP, SOFTEST = 0.85, 1.8
#: Edges that tell whether a spectrum is borne out: within so many radians of the direction, so many of them;
#: the share of them, the narrowest, that is left out; part of the width that a blur gives them, and the
#: largest that is asked for (σ, pixels).
_SECTOR, _FEW_EDGES, _NARROW, _WIDTH, _WIDEST = 0.25, 40, 0.4, 0.5, 2.0
#: Pixels of a side of the blocks by which places are told apart; edges of a block and its neighbours that
#: tell.
BLOCK, _FEW_THERE = 32, 0.6
#: Share of edges that stand alone, below which those of a place tell nothing.
_SINGLE = 0.04
#: What is sharp in spite of a blur, as a part of its width; shares of such edges from which a place is left
#: alone, and up to which it is not; and the same for a movement, across which short lines and noise look
#: sharp too.
_THERE = ((0.45, 0.3, 0.08), (0.25, 0.8, 0.5))
#: Softness below which edges are too crisp for a frame that moved or was out of focus, whatever its spectrum
#: looks like.
_CRISP = 0.35
#: Diffraction, σ in pixels, from which it is told.
_TOLD = 0.3


@dataclass(frozen=True)
class Cause:
    """What softened a frame.

    Attributes
    ----------
    cause : ``none``, ``lens``, ``defocus``, ``motion`` or ``unsure``. confidence : 0…1.
    blur : to be undone; None for sharp frames and where it is not sure.
    diffraction : σ in pixels that diffraction alone makes; 0 where the size of the sensor or the f-number is
        not known.
    wanted : PANNING, BACKGROUND or ELSEWHERE, where a frame is sharp in some places only; beside : the blur
        of the others, if it is known.
    """

    cause: str
    confidence: float
    blur: Blur | None = None
    wanted: str = ""
    beside: Blur | None = None
    diffraction: float = 0.0

    def words(self) -> str:
        """A sentence."""
        if self.wanted:
            return self._wanted_words()
        blur = self.blur
        if blur is None:
            return "The frame is sharp." if self.cause == NONE else "Soft, but it cannot be told of what."
        if blur.cause == MOTION:
            return f"Moved by {blur.size:.0f} px at {blur.angle:+.0f}°."
        if blur.cause == DEFOCUS:
            return f"Out of focus: discs of {blur.size:.1f} px radius."
        least = (
            f", of which diffraction alone makes {self.diffraction:.1f} px"
            if self.diffraction >= _TOLD
            else ""
        )
        return f"A little soft, as lenses are: σ {blur.size:.1f} px{least}."

    def _wanted_words(self) -> str:
        beside = self.beside
        if self.wanted == PANNING and beside is not None:
            return f"Sharp in places; what lies beside moved by {beside.size:.0f} px at {beside.angle:+.0f}°, as when the camera follows a thing."
        if self.wanted == ELSEWHERE:
            return "Sharp beside the middle, soft in it: the focus may lie on the wrong thing."
        return "Sharp in places, and out of focus behind or before them."


def mean_spectrum(parts: Iterable[np.ndarray]) -> np.ndarray | None:
    """The mean logarithm of the power spectra of parts (float32 SIDE×SIDE, linear light), its middle at
    frequency 0; None where too few parts have texture."""
    told = [one for one in each(_power, parts) if one is not None]
    found, textures = [one[0] for one in told], [one[1] for one in told]
    if len(found) < _FEWEST:
        return None
    least = np.quantile(textures, 1 - _TELLING)
    half = np.mean([one for one, texture in zip(found, textures, strict=True) if texture >= least], axis=0)
    whole = np.empty((SIDE, SIDE), np.float32)
    whole[:, : SIDE // 2 + 1] = half
    whole[:, SIDE // 2 + 1 :] = np.roll(
        half[::-1, 1 : SIDE // 2][:, ::-1], 1, 0
    )  # of a real plane the other half is its mirror
    return np.fft.fftshift(whole)


@lru_cache(maxsize=1)
def _window() -> np.ndarray:
    weights = np.outer(np.hanning(SIDE), np.hanning(SIDE)).astype(np.float32)
    return np.asarray(weights / np.sqrt((weights**2).sum()))


def _power(part: np.ndarray) -> tuple[np.ndarray, float] | None:
    """Logarithm of a part's power spectrum, and how much texture it has; None where it is clipped: such edges
    have a spectrum of their own."""
    if part.max() >= 0.97:
        return None
    level = max(float(part.mean()), 1e-4)
    even = (part - level) / level
    wave = scipy.fft.rfft2(even * _window())
    return np.log(wave.real**2 + wave.imag**2 + np.float32(1e-12)), float(even.std())


@lru_cache(maxsize=1)
def _frequencies() -> tuple[np.ndarray, np.ndarray]:
    """Distance from frequency 0, and which frequencies are compared: not those along the axes, which borders
    leave traces in."""
    f = np.fft.fftshift(np.fft.fftfreq(SIDE))
    fy, fx = np.meshgrid(f, f, indexing="ij")
    far = np.hypot(fy, fx)
    used = (far > _FROM) & (far < _TO) & (np.abs(fx) > 1.5 / SIDE) & (np.abs(fy) > 1.5 / SIDE) & (fx > 0)
    return far, used


@lru_cache(maxsize=1)
def _low() -> np.ndarray:
    far, _ = _frequencies()
    return np.asarray((far > _LOW[0]) & (far < _LOW[1]))


@lru_cache(maxsize=4096)
def _response(blur: Blur) -> np.ndarray:
    """Logarithm of the power at all frequencies of a usual scene under a blur, float32, as windows smear it;
    0 in the mean of the low ones."""
    whole = np.zeros((SIDE, SIDE), np.float32)
    kernel = kernel_of(blur)
    whole[: kernel.shape[0], : kernel.shape[1]] = kernel
    power = np.fft.fftshift(np.abs(np.fft.fft2(whole)) ** 2).astype(np.float32)
    far, _ = _frequencies()
    scene = np.log(cv2.GaussianBlur(power, (3, 3), 0.7) + 1e-9) - np.float32(_FALLS) * np.log(
        np.maximum(far, 1 / SIDE)
    )
    return np.asarray(scene - scene[_low()].mean(), np.float32)


def _uneven(spectrum: np.ndarray) -> np.ndarray:
    """A spectrum without its even part; what stands out of it counts little: kernels make gaps, but regular
    textures make peaks."""
    found = spectrum - cv2.GaussianBlur(spectrum, (0, 0), _EVEN, borderType=cv2.BORDER_REFLECT_101)
    return np.minimum(found, _PEAK)


@dataclass(frozen=True, eq=False)
class _Seen:
    """A spectrum beside its even part where it is compared; the level of its noise, and of its low
    frequencies."""

    uneven: np.ndarray
    noise: np.float32
    level: np.float32

    @staticmethod
    def of(spectrum: np.ndarray) -> _Seen:
        far, used = _frequencies()
        noise = np.float32(np.quantile(spectrum[far > _NOISE], 0.3))
        return _Seen(_uneven(spectrum)[used], noise, np.float32(spectrum[_low()].mean()))


def _likeness(seen: _Seen, blur: Blur) -> float:
    """Correlation of what a spectrum has beside its even part with what it would have under a blur."""
    expected = _uneven(np.logaddexp(_response(blur) + seen.level, seen.noise))[_frequencies()[1]]
    own = seen.uneven
    return float((own * expected).sum() / np.sqrt((own**2).sum() * (expected**2).sum() + 1e-9))


_DISCS = tuple(Blur(DEFOCUS, float(r)) for r in np.arange(2, 9.1, 0.5))
_MOTIONS = tuple(
    Blur(MOTION, float(n), float(a))
    for n in (5, 6, 7, 8, 10, 12, 15, 18, 22, 26, 31)
    for a in range(-90, 90, 10 if n <= 10 else 5)
)


#: Fewer of them, for a part of a frame.
_FEW_MOTIONS = tuple(b for b in _MOTIONS if b.size in (6, 10, 15, 22, 31) and b.angle % 10 == 0)
#: Longest movement that is believed: at the end of what is compared there may be something else.
_LONGEST = 37.0
#: Blurs that a thread tries at once.
_AT_ONCE = 30


def _best(seen: _Seen, blurs: tuple[Blur, ...]) -> tuple[float, Blur]:
    """The likeliest of some blurs; where one is likely, several beginnings are followed."""
    several = each(
        lambda few: [(_likeness(seen, blur), blur) for blur in few],
        [blurs[k : k + _AT_ONCE] for k in range(0, len(blurs), _AT_ONCE)],
    )
    likely = sorted(chain.from_iterable(several), key=lambda one: -one[0])
    if likely[0][0] < _WORTH:
        return likely[0]
    starts: dict[float, tuple[float, Blur]] = {}
    for one in likely:
        starts.setdefault(one[1].size, one)
    followed = each(lambda one: _nearer(seen, one), list(starts.values())[:_STARTS])
    return max(followed, key=lambda one: one[0])


def _nearer(seen: _Seen, found: tuple[float, Blur]) -> tuple[float, Blur]:
    """The best of the neighbours of a blur, in finer and finer steps."""
    size, turn = max(found[1].size * 0.12, 0.25), 5.0
    least, most = 0.78 * found[1].size, 1.28 * found[1].size
    while size > 0.1:
        best = found[1]
        angles = (-turn, 0.0, turn) if best.cause == MOTION else (0.0,)
        near = [
            Blur(best.cause, min(max(best.size + s, least), most), (best.angle + a + 90) % 180 - 90)
            for s in (-size, 0.0, size)
            for a in angles
        ]
        again = max(((_likeness(seen, blur), blur) for blur in near), key=lambda one: one[0])
        if again[0] <= found[0] + 1e-6:
            size, turn = size / 2, turn / 2
        else:
            found = again
    return found


def _telling(blur: Blur, edges: Edges) -> np.ndarray:
    """Which edges a blur widens: of a movement those across it."""
    if blur.cause != MOTION:
        return np.ones(edges.sigma.shape, bool)
    return np.asarray(
        np.abs((edges.across - np.radians(blur.angle) + np.pi / 2) % np.pi - np.pi / 2) < _SECTOR
    )


def where_blurred(blur: Blur, edges: Edges, extent: tuple[int, int]) -> np.ndarray:
    """By how much places are as soft as a blur makes them, 0…1: float32, about a value for every BLOCK
    pixels. What is sharp there in spite of it lies in another plane, or did not move. Where there are no
    edges their neighbours tell, or nothing does (1).

    Parameters
    ----------
    edges : of the frame. extent : its height and width.
    """
    shape = max(1, round(extent[0] / BLOCK)), max(1, round(extent[1] / BLOCK))
    own = _telling(blur, edges)
    rows = np.minimum(edges.y[own] * shape[0] / extent[0], shape[0] - 1).astype(int)
    columns = np.minimum(edges.x[own] * shape[1] / extent[1], shape[1] - 1).astype(int)
    least = blur.width * (np.sqrt(2) if blur.cause == MOTION else 1)
    part, mostly, hardly = _THERE[blur.cause == MOTION]
    sharp = edges.sigma[own] < part * min(least, _WIDEST / _WIDTH)
    count, crisp, alone = (np.zeros(shape, np.float32) for _ in range(3))
    np.add.at(count, (rows, columns), 1)
    np.add.at(crisp, (rows, columns), sharp.astype(np.float32))
    np.add.at(alone, (rows, columns), edges.alone[own].astype(np.float32))
    several, few, single = (cv2.GaussianBlur(plane, (0, 0), 1.0) for plane in (count, crisp, alone))
    share = few / np.maximum(several, 1e-6)
    soft = np.clip((mostly - share) / (mostly - hardly), 0, 1)
    # where hardly any edge stands alone, in small lettering, all look sharper than they are and tell nothing
    tells = (several >= _FEW_THERE) & (single >= _SINGLE * several)
    found = np.where(tells, soft, 1).astype(np.float32)
    return np.asarray(cv2.erode(found, np.ones((3, 3), np.uint8)))  # rings reach beyond what is sharp


def _borne_out(blur: Blur, edges: Edges) -> bool:
    """Are the edges across a blur as wide as it would make them? Boards and bricks have spectra like those of
    a movement."""
    own = edges.sigma[_telling(blur, edges)]
    if len(own) < _FEW_EDGES:
        return True
    least = _WIDTH * blur.size * (0.5 if blur.cause == DEFOCUS else 1 / np.sqrt(12))
    return bool(np.quantile(own, _NARROW) >= min(least, _WIDEST))


def cause_of(
    spectrum: np.ndarray | None, softness: float | None, edges: Edges | None = None, part: bool = False
) -> Cause:
    """What softened a frame.

    Parameters
    ----------
    spectrum : as :func:`mean_spectrum` makes it. softness : σ of what the sharpest edges are softer than in a
        sharp frame.
    edges : of the frame; what its spectrum says must hold for them too. part : of a part of the frame, looked
        at less closely.
    """
    if spectrum is not None and (softness is None or softness >= _CRISP):
        seen = _Seen.of(spectrum)
        disc, motion = (_best(seen, blurs) for blurs in (_DISCS, _FEW_MOTIONS if part else _MOTIONS))
        first, second = sorted((disc, motion), key=lambda one: -one[0])
        if first[0] >= _BELIEVED and first[0] - second[0] >= _AHEAD:
            score, blur = first
            told = blur.size < _LONGEST if blur.cause == MOTION else blur.size >= _LEAST_DISC
            if told and (edges is None or _borne_out(blur, edges)):
                sure = round(float(np.clip((score - 0.3) / 0.4, 0.1, 1)), 2)
                return Cause(blur.cause, sure, Blur(blur.cause, round(blur.size, 2), round(blur.angle, 1)))
    if softness is None or softness > SOFTEST:
        return Cause(UNSURE, 0.0)
    if softness < SHARP:
        return Cause(NONE, round(1 - softness / SHARP / 2, 2))
    return Cause(LENS, 0.5, Blur(LENS, round(softness, 2)))
