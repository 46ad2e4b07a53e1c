"""Blur of edges: against edges of known blur, photographs blurred by a known amount, and noise."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import timedelta

import cv2
import numpy as np
import pytest
import shots
from scipy.ndimage import gaussian_filter

from irvane.core.acutance.edge_blur import edges_of, find_edges, sharpest
from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.judge import measured
from irvane.core.judge.measured import measure_loaded, measure_source
from irvane.core.judge.ranking import ranks
from irvane.core.line.source import FileSource

#: σ of a pixel's own square and of the slopes' kernel, in quadrature: what an edge that is blurred by nothing else seems to
#: be blurred by (worked out from their variances: 1/12 and about 1/4).
_OWN = np.sqrt(1 / 12 + 0.25)


def _edges(sigma: float, noise: float, seed: int = 4) -> np.ndarray:
    """Slanted rectangles through a Gaussian, four samples a pixel, with noise."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:1600, 0:1600] / 4
    light = np.full(y.shape, 0.3)
    for _ in range(30):
        cx, cy = rng.uniform(0, 400, 2)
        a, r = rng.uniform(0, np.pi), rng.uniform(15, 70)
        along, across = (
            (x - cx) * np.cos(a) + (y - cy) * np.sin(a),
            (y - cy) * np.cos(a) - (x - cx) * np.sin(a),
        )
        light[(abs(along) < r) & (abs(across) < 0.7 * r)] = rng.uniform(0.05, 0.8)
    blurred = gaussian_filter(light, sigma * 4).reshape(400, 4, 400, 4).mean(axis=(1, 3))
    return (blurred + rng.normal(0, noise, blurred.shape)).astype(np.float32)


@pytest.mark.parametrize("sigma", [0.7, 1.2, 2.0, 3.0])
def test_the_blur_of_edges_is_found(sigma: float) -> None:
    expected = np.hypot(sigma, _OWN)
    for noise in (0.001, 0.01):
        found = find_edges(_edges(sigma, noise), noise)
        assert float(np.median(found.sigma)) == pytest.approx(expected, rel=0.12)


def test_noise_alone_has_no_edges() -> None:
    rng = np.random.default_rng(2)
    plane = (0.3 + rng.normal(0, 0.02, (600, 600))).astype(np.float32)
    assert len(find_edges(plane, 0.02).sigma) < 5


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_frames_are_ranked_by_their_blur_at_any_iso(cfa: np.ndarray) -> None:
    photograph = shots.photograph("astronaut.png", reduced=False)
    for iso in (100, 6400):
        found = []
        for sigma in (0.0, 1.0, 2.0, 3.5):
            light = gaussian_filter(photograph, (sigma, sigma, 0)) * 0.8
            loaded = shots.loaded(light * shots.NEUTRAL.astype(np.float32), iso, cfa)
            found.append(sharpest(edges_of(loaded.mosaic, loaded.noise)))  # type: ignore[arg-type]
        assert None not in found and found == sorted(found) and found[2] - found[0] > 0.4  # type: ignore[operator,type-var]


def test_a_burst_is_ranked_by_the_sharpness_of_its_subject() -> None:
    """A thing before a ground: in one frame it is sharp and the ground is not, in the other the focus slipped to the ground."""
    y, x = np.mgrid[:480, :720]
    alpha = ((((x - 350) / 110) ** 2 + ((y - 240) / 150) ** 2) < 1).astype(np.float32)[..., None]
    thing, ground = (
        cv2.resize(shots.photograph(n, reduced=False), (720, 480)) for n in ("coffee.png", "astronaut.png")
    )

    def soft(light: np.ndarray, sigma: float) -> np.ndarray:
        return cv2.GaussianBlur(light, (0, 0), sigma)

    hit = thing * alpha + soft(ground, 5) * (1 - alpha)
    missed = soft(thing * alpha, 2.5) + ground * (1 - soft(alpha, 2.5)[..., None])
    told = [
        measure_loaded(shots.loaded(np.ascontiguousarray(f * 0.8 * shots.NEUTRAL, np.float32), 200))
        for f in (hit, missed)
    ]
    assert told[0].subject is not None and told[0].blur > told[1].blur, (
        "the frame as a whole says the contrary"
    )  # type: ignore[operator]
    soon = [FrameInfo(model="M", focal=50, taken=shots.WHEN + timedelta(seconds=k)) for k in range(2)]
    first, second = ranks(list(zip(soon, told, strict=True)))
    assert first == told[0].subject and second > first
    assert ranks([(soon[0], None)]) == [math.inf]


@pytest.mark.parametrize(
    ("flip", "sharp", "soft"), [(0, (0.25, 0.5), (0.75, 0.5)), (6, (0.5, 0.25), (0.5, 0.75))]
)
def test_sharpness_is_told_where_the_camera_focused(
    flip: int, sharp: tuple[float, float], soft: tuple[float, float]
) -> None:
    """The left half is sharp, the right one is not; the point is stated for the upright picture (turned by hand)."""
    y, x = np.mgrid[:960, :1440]
    squares = np.where((y // 30 + x // 30) % 2, 0.6, 0.15).astype(np.float32)
    turned = cv2.warpAffine(
        squares, cv2.getRotationMatrix2D((720, 480), 9, 1.0), (1440, 960), borderMode=cv2.BORDER_REFLECT
    )
    light = cv2.GaussianBlur(np.repeat(turned[..., None], 3, axis=2), (0, 0), 0.6)
    both = np.hstack([light[:, :720], cv2.GaussianBlur(light, (0, 0), 3)[:, 720:]])
    frame = shots.loaded(np.ascontiguousarray(both * 0.8 * shots.NEUTRAL, np.float32), 100, flip=flip)
    told = [measure_loaded(replace(frame, info=replace(frame.info, focus=place))) for place in (sharp, soft)]
    assert told[0].focused is not None and told[1].focused is not None
    assert told[0].focused < 1.6 < 2.2 < told[1].focused
    assert told[1].ranked == told[1].focused and told[1].edges_words().startswith("focus ")
    assert measure_loaded(frame).focused is None


def test_figures_of_a_frame_are_kept_by_content(tmp_path, monkeypatch: pytest.MonkeyPatch, frames) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(measured, "_store", lambda: tmp_path)
    source = FileSource(frames / "bench-iso6400.dng")
    first = measure_source(source)
    assert first.noise and first.snr is not None and first.blur is not None and first.sharp_enough
    monkeypatch.setattr(measured, "measure_loaded", lambda _loaded: pytest.fail("it was kept"))
    assert measure_source(source) == first
    next(tmp_path.glob("*.json")).write_text("[")
    monkeypatch.setattr(measured, "measure_loaded", measure_loaded)
    assert measure_source(source) == first, "a damaged store is no error"
