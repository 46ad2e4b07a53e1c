"""The path of a frame that moved, from the frame alone.

From coarse to fine, a sharp picture is guessed from the blurred one (smoothed, its edges made steep, only
strong and wide ones kept), and the kernel is the one that best makes the blurred gradients of the guessed
ones (Cho & Lee 2009, "Fast motion deblurring"; which edges help: Xu & Jia 2010, "Two-phase kernel
estimation"). A path is drawn through the kernel: points passed at even times, which can be seen and moved.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from irvane.core.acutance.blurs import Blur, kernel_of, path_of
from irvane.core.progress import Progress, always, step
from irvane.core.progress import part as share

#: Side of a part that a kernel is found from; half the largest kernel, in pixels; points of a path.
PART, HALF, POINTS = 512, 13, 12
#: Steps between sizes, and the smallest half of a kernel; rounds at each size.
_SCALE, _LEAST_HALF, _ROUNDS = 2**0.5, 2, 5
#: Weight of smoothness of the guessed picture, and of even kernels; parts of the largest value below which a
#: kernel is empty.
_SMOOTH, _EVEN, _EMPTY = 4e-3, 2e-3, 0.06
#: Steps of the search for a kernel without negative values.
_STEPS = 120
#: Edges that are kept at first, per root of pixels of picture times kernel, and by how much more in each
#: round.
_KEPT, _MORE = 2.0, 1.15
#: Weight of a path's bends; softness (σ, pixels) that a scene's own edges may add to a kernel.
_BENDS, _SOFTNESS = 0.02, (0.3, 1.8)
#: Likeness of two kernels from which they are the same movement; least width of a kernel that is one
#: (pixels).
AGREE, _WIDTH = 0.85, 0.9


@dataclass(frozen=True)
class Found:
    """A path, and how alike (0…1) to it those of other parts are at least."""

    blur: Blur
    likeness: float


def _gradients(plane: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.diff(plane, axis=1, append=plane[:, -1:]), np.diff(plane, axis=0, append=plane[-1:])


def _steep(plane: np.ndarray) -> np.ndarray:
    """A picture whose edges are made steep: bilateral filter, then shocks (Osher & Rudin 1990)."""
    reach = float(plane.std())
    made = cv2.bilateralFilter(plane, 5, 0.7 * reach, 2.0)
    for _ in range(2):
        soft = cv2.GaussianBlur(made, (0, 0), 1.0)
        gx, gy = (
            cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8),
            cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8),
        )
        xx, yy, xy = (cv2.Sobel(soft, cv2.CV_32F, *order, scale=1 / 4) for order in ((2, 0), (0, 2), (1, 1)))
        bend = gx * gx * xx + 2 * gx * gy * xy + gy * gy * yy
        around = np.ones((3, 3), np.uint8)
        made = np.where(bend < 0, cv2.dilate(made, around), np.where(bend > 0, cv2.erode(made, around), made))
    return made


def _useful(plane: np.ndarray, half: int) -> np.ndarray:
    """Which places have structure wider than the kernel, 0…1 (Xu & Jia 2010, equation 2)."""
    gx, gy = _gradients(plane)
    side = 2 * half + 1
    sums = [cv2.boxFilter(g, -1, (side, side)) for g in (gx, gy)]
    size = cv2.boxFilter(np.hypot(gx, gy), -1, (side, side))
    return np.asarray(np.hypot(*sums) / (size + 0.5 * float(size.mean()) + 1e-9), np.float32)


def _kept(plane: np.ndarray, blurred: np.ndarray, half: int, count: float) -> tuple[np.ndarray, np.ndarray]:
    """Gradients of the guessed picture that tell of the kernel: the strongest of each of four directions,
    none near the border."""
    gx, gy = _gradients(_steep(plane))
    size = np.hypot(gx, gy)
    inner = np.zeros(size.shape, bool)
    rim = half + 2
    inner[rim:-rim, rim:-rim] = True
    useful = _useful(blurred, half)
    inner &= useful > np.quantile(useful, 0.35)
    way = ((np.arctan2(gy, gx) % np.pi) / (np.pi / 4)).astype(int) % 4
    wanted = int(count * np.sqrt(size.size) * (2 * half + 1) / 4)
    least = 0.0
    strengths = [np.sort(size[inner & (way == k)])[::-1] for k in range(4)]
    levels = [s[min(wanted, s.size - 1)] for s in strengths if s.size]
    least = min(levels) if levels else 0.0
    chosen = inner & (size > least)
    return np.where(chosen, gx, 0).astype(np.float32), np.where(chosen, gy, 0).astype(np.float32)


def _kernel(
    guess: tuple[np.ndarray, np.ndarray], seen: tuple[np.ndarray, np.ndarray], half: int
) -> np.ndarray:
    """The kernel without negative values that makes the seen gradients of the guessed ones, by least
    squares."""
    h, w = (scipy.fft.next_fast_len(n + 4 * half + 2) for n in guess[0].shape)
    own: np.ndarray | float = 0.0
    other: np.ndarray | float = 0.0
    for p, b in zip(guess, seen, strict=True):
        f = scipy.fft.rfft2(p, (h, w))
        own = own + np.abs(f) ** 2
        other = other + np.conj(f) * scipy.fft.rfft2(b, (h, w))
    auto, cross = scipy.fft.irfft2(own, (h, w)), scipy.fft.irfft2(other, (h, w))
    side = 2 * half + 1
    at = np.arange(side)
    y, x = (a.ravel() for a in np.meshgrid(at, at, indexing="ij"))
    matrix = auto[y[:, None] - y[None, :], x[:, None] - x[None, :]].astype(np.float32)
    right = cross[y - half, x - half].astype(np.float32)
    scale = float(matrix[0, 0]) + 1e-12
    matrix, right = matrix / scale, right / scale
    matrix[np.diag_indices_from(matrix)] += _EVEN
    # Nesterov's steps, held at zero
    step = 1 / float(np.abs(matrix).sum(axis=1).max())
    kernel = np.full(side * side, 1 / side**2, np.float32)
    ahead, t = kernel, 1.0
    for _ in range(_STEPS):
        new = np.maximum(ahead - step * (matrix @ ahead - right), 0)
        t, old = (1 + np.sqrt(1 + 4 * t * t)) / 2, t
        ahead, kernel = new + np.float32((old - 1) / t) * (new - kernel), new
    return _cleaned(kernel.reshape(side, side))


def _cleaned(kernel: np.ndarray) -> np.ndarray:
    """A kernel without what is too little, its stray parts and its offset."""
    found = np.where(kernel < _EMPTY * kernel.max(), 0, kernel)
    parts, count = scipy.ndimage.label(found > 0, np.ones((3, 3)))
    if count > 1:
        sums = scipy.ndimage.sum_labels(found, parts, np.arange(1, count + 1))
        found = np.where(np.isin(parts, 1 + np.flatnonzero(sums >= 0.15 * sums.max())), found, 0)
    total = float(found.sum())
    if total <= 0:
        found = np.zeros_like(kernel)
        found[kernel.shape[0] // 2, kernel.shape[1] // 2] = total = 1.0
    found = found / total
    half = kernel.shape[0] // 2
    at = np.arange(-half, half + 1)
    off = [round(float((found.sum(axis) * at).sum())) for axis in (1, 0)]
    return np.asarray(scipy.ndimage.shift(found, (-off[0], -off[1]), order=0), np.float32)


def _spectrum(kernel: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    whole = np.zeros(shape, np.float32)
    half = kernel.shape[0] // 2
    whole[: kernel.shape[0], : kernel.shape[1]] = kernel
    return np.asarray(scipy.fft.rfft2(np.roll(whole, (-half, -half), (0, 1))))


def _guess(blurred: np.ndarray, kernel: np.ndarray) -> np.ndarray:
    """The picture that a kernel would have blurred, in one regularised step, its borders brought together."""
    half = kernel.shape[0] // 2
    padded = cv2.copyMakeBorder(blurred, 2 * half, 2 * half, 2 * half, 2 * half, cv2.BORDER_REFLECT_101)
    shape = padded.shape
    spectrum = _spectrum(kernel, (shape[0], shape[1]))
    window = np.outer(
        *(np.clip((np.minimum(np.arange(n), np.arange(n)[::-1]) + 1) / (2 * half), 0, 1) for n in shape)
    )
    soft = scipy.fft.irfft2(scipy.fft.rfft2(padded) * spectrum, shape)
    padded = window * padded + (1 - window) * soft
    fy = 2 - 2 * np.cos(2 * np.pi * scipy.fft.fftfreq(shape[0]))
    fx = 2 - 2 * np.cos(2 * np.pi * scipy.fft.rfftfreq(shape[1]))
    found = (
        np.conj(spectrum)
        * scipy.fft.rfft2(padded)
        / (np.abs(spectrum) ** 2 + _SMOOTH * (fy[:, None] + fx[None, :]) * 4)
    )
    made = scipy.fft.irfft2(found, shape)[2 * half : -2 * half, 2 * half : -2 * half]
    return np.asarray(made, np.float32)


def kernel_from(part: np.ndarray, progress: Progress = always) -> np.ndarray:
    """The kernel of a blurred part: float32 (2·HALF+1)², not negative, sum 1. Raises Cancelled.

    Parameters
    ----------
    part : float32 H×W, square-rooted light without most of its noise.
    """
    halves = [HALF]
    while halves[-1] > _LEAST_HALF:
        halves.append(max(_LEAST_HALF, int(halves[-1] / _SCALE)))
    kernel: np.ndarray | None = None
    before, work = 0, sum(half**2 for half in halves)
    for half in reversed(halves):
        size = half / HALF
        blurred = (
            part if size == 1 else cv2.resize(part, None, fx=size, fy=size, interpolation=cv2.INTER_AREA)
        )
        if kernel is None:
            latent = blurred
        else:
            kernel = _cleaned(cv2.resize(kernel, (2 * half + 1,) * 2, interpolation=cv2.INTER_LINEAR))
            latent = _guess(blurred, kernel)
        seen, count = _gradients(blurred), _KEPT
        for done in range(_ROUNDS):
            step(progress, (before + done / _ROUNDS * half**2) / work)
            kernel = _kernel(_kept(latent, blurred, half, count), seen, half)
            latent = _guess(blurred, kernel)
            count *= _MORE
        before += half**2
    assert kernel is not None
    return kernel


def likeness(one: np.ndarray, other: np.ndarray) -> float:
    """The largest correlation of two kernels over small shifts, each softened a little."""
    a, b = (cv2.GaussianBlur(np.pad(k, 4), (0, 0), 1.0) for k in (one, other))
    found = cv2.matchTemplate(np.pad(a, 4), b, cv2.TM_CCORR)
    return float(found.max() / np.sqrt((a**2).sum() * (b**2).sum() + 1e-12))


def path_through(kernel: np.ndarray) -> Blur:
    """The path whose kernel, softened as the scene's own edges are, is nearest to a given one."""
    weights = cv2.GaussianBlur(kernel, (0, 0), 0.6)
    weights = np.where(weights > 0.08 * weights.max(), weights, 0)
    scale = 1 / np.sqrt(float((kernel**2).sum()))
    return _fitted(_ordered(weights), kernel.shape[0] // 2, lambda drawn: (drawn - kernel).ravel() * scale)


def _fitted(points: np.ndarray, half: int, off: Callable[[np.ndarray], np.ndarray]) -> Blur:
    """The path near some points (N×2) whose kernel, softened, is off by the least squares."""
    start = np.append(points.ravel(), 0.8)

    def all_off(values: np.ndarray) -> np.ndarray:
        path, soft = values[:-1].reshape(-1, 2), values[-1]
        drawn = cv2.GaussianBlur(_drawn(path, half), (0, 0), float(soft))
        return np.concatenate([off(drawn), _BENDS * np.diff(path, 2, axis=0).ravel()])

    low, high = np.full(start.size, -half, float), np.full(start.size, half, float)
    low[-1], high[-1] = _SOFTNESS
    start = np.clip(start, low + 1e-3, high - 1e-3)
    found = scipy.optimize.least_squares(all_off, start, diff_step=1e-3, max_nfev=40, bounds=(low, high))
    return path_of(found.x[:-1].reshape(-1, 2))


def _drawn(points: np.ndarray, half: int) -> np.ndarray:
    """A path as a kernel, where it lies."""
    kernel = np.zeros((2 * half + 1,) * 2, np.float64)
    share = ((np.arange(24) + 0.5) / 24)[None, :, None]
    at = (points[:-1, None] + share * np.diff(points, axis=0)[:, None]).reshape(-1, 2) + half
    at = np.clip(at, 0, 2 * half - 1e-3)
    low = np.floor(at).astype(int)
    fx, fy = (at - low).T
    for dy, dx, part in (
        (0, 0, (1 - fy) * (1 - fx)),
        (0, 1, (1 - fy) * fx),
        (1, 0, fy * (1 - fx)),
        (1, 1, fy * fx),
    ):
        np.add.at(kernel, (np.minimum(low[:, 1] + dy, 2 * half), np.minimum(low[:, 0] + dx, 2 * half)), part)
    return kernel / len(at)


def _ordered(weights: np.ndarray) -> np.ndarray:
    """Points along a kernel from one end to the other (POINTS×2, x and y from its middle), equal weight
    between them."""
    half = weights.shape[0] // 2
    y, x = np.nonzero(weights)
    if len(y) < 3:
        return np.stack([np.linspace(-0.5, 0.5, POINTS), np.zeros(POINTS)], axis=1)
    value = weights[y, x]
    apart = np.hypot(y[:, None] - y[None], x[:, None] - x[None])
    near = (apart > 0) & (apart < 2.3)
    cost = apart**2 * (2 * value.max() / (value[:, None] + value[None]))
    graph = scipy.sparse.csr_matrix(np.where(near, cost, 0))
    far = scipy.sparse.csgraph.dijkstra(graph, indices=int(value.argmax()))
    far[~np.isfinite(far)] = -1
    first = int(far.argmax())
    from_first, before = scipy.sparse.csgraph.dijkstra(graph, indices=first, return_predecessors=True)
    from_first[~np.isfinite(from_first)] = -1
    way = [int(from_first.argmax())]
    while before[way[-1]] >= 0:
        way.append(int(before[way[-1]]))
    line = np.stack([x[way], y[way]], axis=1).astype(float) - half
    # every pixel's weight belongs to the nearest point of the way
    owner = np.hypot(x[:, None] - half - line[None, :, 0], y[:, None] - half - line[None, :, 1]).argmin(
        axis=1
    )
    mass = np.bincount(owner, value, len(way)) + 1e-6
    passed = (np.cumsum(mass) - mass / 2) / mass.sum()
    times = np.linspace(passed[0], passed[-1], POINTS)
    return np.stack([np.interp(times, passed, line[:, k]) for k in (0, 1)], axis=1)


def path_from(parts: list[np.ndarray], progress: Progress = always) -> Found | None:
    """The path of a frame that moved, from several of its parts; None where they do not agree, or it did not
    move. Raises Cancelled.

    Parameters
    ----------
    parts : as of :func:`kernel_from`.
    """
    shares = [share(progress, k / len(parts), (k + 1) / len(parts)) for k in range(len(parts))]
    paths = [path_through(kernel_from(part, told)) for part, told in zip(parts, shares, strict=True)]
    drawn = [kernel_of(path) for path in paths]
    alike = [[likeness(a, b) for b in drawn] for a in drawn]
    worst = [min(row[:k] + row[k + 1 :]) for k, row in enumerate(alike)]
    best = int(np.argmax(worst))
    if worst[best] < AGREE or paths[best].width < _WIDTH:
        return None
    return Found(paths[best], round(worst[best], 2))
