"""Defective pixels: how many are found, how many are imagined, and that lights stay; truth is the simulation's."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.sensor import defect_classifier
from irvane.core.sensor.defect_candidates import defect_candidates
from irvane.core.sensor.defects import possible, repair_defects

ARRAYS = {"bayer": BAYER, "6x6": SIX_BY_SIX}
READ = 3.0  # electrons


def _mosaic(light: np.ndarray, cfa: np.ndarray) -> np.ndarray:
    h, w = light.shape[:2]
    colours = cfa[np.ix_(np.arange(h) % cfa.shape[0], np.arange(w) % cfa.shape[0])]
    return np.take_along_axis(light, colours[..., None], 2)[..., 0]


def _scene(kind: str) -> np.ndarray:
    """Camera-linear light of 900×1200: even, dark, or soft slopes."""
    y, x = np.mgrid[:900, :1200].astype(np.float32)
    if kind == "flat":
        return np.full((900, 1200, 3), (0.1, 0.2, 0.13), np.float32)
    if kind == "dark":
        return np.full((900, 1200, 3), (0.001, 0.002, 0.0015), np.float32)
    base = 0.05 + 0.3 * (x / 1200) + 0.1 * np.sin(x / 40) * np.cos(y / 55)
    base = np.maximum(base, 0.01)
    return cv2.GaussianBlur(base[..., None] * np.array([0.5, 1.0, 0.65], np.float32), (0, 0), 1.0)


def _shot(light: np.ndarray, well: float, rng: np.random.Generator) -> tuple[np.ndarray, NoiseModel]:
    values = (rng.poisson(light * well) + rng.normal(0, READ, light.shape)) / well
    return values.astype(np.float32), NoiseModel((1 / well,) * 3, (READ / well,) * 3, "file")


def _repaired(mosaic: Mosaic, noise: NoiseModel) -> tuple[np.ndarray, int]:
    copy = Mosaic(mosaic.data.copy(), mosaic.cfa)
    count = repair_defects(copy, noise)
    return copy.data, count


@pytest.mark.parametrize("kind", ["flat", "dark", "slopes"])
@pytest.mark.parametrize("iso", [100, 3200, 25600])
@pytest.mark.parametrize("array", ARRAYS)
def test_defects_above_eight_sigma_are_found_and_few_are_imagined(kind: str, iso: int, array: str) -> None:
    rng = np.random.default_rng(iso)
    cfa, well = ARRAYS[array], 5e6 / iso
    light = _mosaic(_scene(kind), cfa)
    clean, noise = _shot(light, well, rng)
    _, imagined = _repaired(Mosaic(clean, cfa), noise)
    assert imagined <= clean.size / 100_000
    sigma = np.sqrt(light / well + (READ / well) ** 2)
    where = rng.random(light.shape) < 3e-4
    where[:4] = where[-4:] = where[:, :4] = where[:, -4:] = False
    hot = clean.copy()
    hot[where] += (rng.uniform(8, 60, light.shape) * sigma)[where]
    repaired, count = _repaired(Mosaic(hot, cfa), noise)
    found = (repaired != hot) & where
    assert found.sum() >= 0.99 * where.sum()
    assert count >= found.sum()
    left = np.abs(repaired - light)[found] / sigma[found]
    assert np.median(left) < 1.5, "what replaces them is as good as its neighbours"


@pytest.mark.parametrize("array", ARRAYS)
@pytest.mark.parametrize("step", [1, 2])
def test_pairs_are_found(array: str, step: int) -> None:
    rng = np.random.default_rng(step)
    cfa = ARRAYS[array]
    light = _mosaic(_scene("flat"), cfa)
    clean, noise = _shot(light, 1000, rng)
    first = rng.random(light.shape) < 1e-4
    first[:6] = first[-6:] = first[:, :6] = first[:, -6:] = False
    pairs = first | np.roll(first, step, 1)
    hot = clean.copy()
    hot[pairs] += 20 * np.sqrt(light / 1000)[pairs]
    repaired, _ = _repaired(Mosaic(hot, cfa), noise)
    assert ((repaired != hot) & pairs).sum() >= 0.95 * pairs.sum()


def test_dead_pixels_are_found() -> None:
    rng = np.random.default_rng(5)
    light = _mosaic(_scene("flat"), BAYER)
    dead, noise = _shot(light, 5000, rng)
    where = rng.random(light.shape) < 2e-4
    dead[where] = 0
    repaired, _ = _repaired(Mosaic(dead, BAYER), noise)
    assert (repaired[where] > 0.05).mean() > 0.99


@pytest.mark.parametrize("array", ARRAYS)
@pytest.mark.parametrize("colour", [(1, 1, 1), (1, 0.6, 0.3), (1, 0.25, 0.1), (0.15, 0.3, 1)])
def test_point_lights_stay(array: str, colour: tuple[float, float, float]) -> None:
    """Lights of 2 px (full width at half maximum) at every position between pixels, white to saturated."""
    rng = np.random.default_rng(7)
    cfa, sigma = ARRAYS[array], 2.0 / 2.355
    y, x = np.mgrid[:400, :400]
    for peak in (0.05, 0.3, 2.0):
        light = np.full((400, 400, 3), 0.002)
        for k in range(100):
            cy, cx = rng.uniform(-0.5, 0.5, 2) + (20 + 40 * (k // 10), 20 + 40 * (k % 10))
            near = np.s_[int(cy) - 8 : int(cy) + 9, int(cx) - 8 : int(cx) + 9]
            spot = np.exp(-((y[near] - cy) ** 2 + (x[near] - cx) ** 2) / (2 * sigma**2))
            light[near] += peak * spot[..., None] * np.array(colour)
        shot, noise = _shot(_mosaic(light, cfa), 50_000, rng)
        shot = np.minimum(shot, 1)
        repaired, _ = _repaired(Mosaic(shot, cfa), noise)
        sums = [m.reshape(10, 40, 10, 40).sum(axis=(1, 3)) for m in (shot, repaired)]
        assert (sums[1] / sums[0]).min() > 0.95


@pytest.mark.parametrize("array", ARRAYS)
def test_bright_pixels_on_black_are_found_without_read_noise(array: str) -> None:
    """Noise profiles may state none (DNG specification, NoiseProfile: the offset may be 0)."""
    data = np.zeros((96, 96), np.float32)
    data[::24, ::24] = 0.3
    noise = NoiseModel((1e-4,) * 3, (0.0,) * 3, "file")
    assert _repaired(Mosaic(data, ARRAYS[array]), noise)[0].max() == 0


def test_the_rim_is_treated_too() -> None:
    rng = np.random.default_rng(9)
    light = _mosaic(_scene("flat"), BAYER)[:64, :64]
    hot, noise = _shot(light, 5000, rng)
    places = [(0, 0), (0, 31), (63, 63), (20, 0), (63, 10)]
    for place in places:
        hot[place] = 0.9
    repaired, _ = _repaired(Mosaic(hot, BAYER), noise)
    assert all(repaired[place] < 0.4 for place in places)


@pytest.mark.parametrize("spacing", [(12, 4), (8, 6), (4, 24)])
def test_focus_pixels_are_repaired(spacing: tuple[int, int]) -> None:
    """Common practice: pixels that measure focus are half covered and lie in regular rows; they read too low."""
    rng = np.random.default_rng(9)
    light = _mosaic(_scene("flat"), BAYER)
    focus = np.zeros(light.shape, bool)
    focus[5 :: spacing[0], 4 :: spacing[1]] = True  # green places
    focus[:4] = focus[-4:] = focus[:, :4] = focus[:, -4:] = False
    shot, noise = _shot(np.where(focus, 0.55 * light, light), 50_000, rng)
    repaired, _ = _repaired(Mosaic(shot, BAYER), noise)
    sigma = noise.sigma(0.2)
    assert (np.abs(repaired - light)[focus] < 4 * sigma).mean() > 0.99
    assert repaired[focus].mean() == pytest.approx(light[focus].mean(), rel=0.002)


@pytest.mark.parametrize("array", ARRAYS)
def test_defects_beside_the_rim_are_found_on_slopes(array: str) -> None:
    """Within reach of the rim there are no surroundings on one side: those of the other count."""
    cfa, well = ARRAYS[array], 50_000
    light = _mosaic(_scene("slopes"), cfa)
    share = []
    for seed in range(4):
        rng = np.random.default_rng(seed)
        hot, noise = _shot(light, well, rng)
        where = rng.random(light.shape) < 1e-3
        where[10:-10, 10:-10] = False
        where[:2] = where[-2:] = where[:, :2] = where[:, -2:] = False
        hot[where] += (25 * np.sqrt(light / well + (READ / well) ** 2))[where]
        repaired, _ = _repaired(Mosaic(hot, cfa), noise)
        share.append(((repaired != hot) & where).sum() / where.sum())
    assert np.mean(share) > 0.95


@pytest.mark.parametrize(
    ("blur", "most", "least"), [(0.0, 2.0, 0.65), (0.6, 1.0, 0.9)], ids=["sharp", "lens"]
)
@pytest.mark.parametrize("array", ARRAYS)
def test_photographs_keep_their_fine_detail(array: str, blur: float, most: float, least: float) -> None:
    """Hardly any detail is taken for a defect, even where it is sharp down to the pixel, as no lens draws it."""
    cfa, imagined, pixels, found, defects = ARRAYS[array], 0, 0, 0, 0
    for seed, name in enumerate(("astronaut.png", "chelsea.png", "coffee.png", "motorcycle_left.png")):
        for well in (50_000, 1_500):
            rng = np.random.default_rng(seed)
            scene = shots.photograph(name)
            scene = cv2.GaussianBlur(scene, (0, 0), blur) if blur else scene
            light = np.minimum(_mosaic(scene * shots.NEUTRAL.astype(np.float32), cfa), 1)
            clean, noise = _shot(light, well, rng)
            imagined += _repaired(Mosaic(clean, cfa), noise)[1]
            pixels += light.size
            where = (rng.random(light.shape) < 1e-3) & (light < 0.6)
            hot = np.where(where, clean + 0.35, clean).astype(np.float32)
            found += int(((_repaired(Mosaic(hot, cfa), noise)[0] != hot) & where).sum())
            defects += int(where.sum())
    assert imagined <= most * pixels / 100_000
    assert found >= least * defects


def test_what_is_looked_at_closely_turns_with_the_mosaic() -> None:
    """A sensor mounted sideways sees the same defects: the planes around a suspect are those of before, turned."""
    rng = np.random.default_rng(3)
    light = _mosaic(_scene("slopes"), BAYER)[:96, :96]
    shot, noise = _shot(light, 5000, rng)
    for place in ((30, 41), (52, 20), (3, 60), (47, 91)):
        shot[place] += 0.3
    seen = []
    for data, cfa in ((shot, BAYER), (np.rot90(shot), np.rot90(BAYER))):
        mosaic = Mosaic(np.ascontiguousarray(data), np.ascontiguousarray(cfa))
        found = defect_candidates(mosaic, noise)
        near, told = possible(mosaic, noise, found)
        planes = defect_classifier.looked(mosaic, noise, found, near, told)[
            :, : defect_classifier.PLANES * defect_classifier.SIDE**2
        ]
        shape = len(near), defect_classifier.PLANES, defect_classifier.SIDE, defect_classifier.SIDE
        seen.append(
            {(int(found.y[k]), int(found.x[k])): p for k, p in zip(near, planes.reshape(shape), strict=True)}
        )
    assert {(30, 41), (52, 20)} <= set(seen[0])
    for y, x in ((30, 41), (52, 20)):  # of the rim's margins, each sensor has its own
        np.testing.assert_allclose(seen[1][95 - x, y], np.rot90(seen[0][y, x], axes=(1, 2)), atol=1e-4)


@pytest.mark.parametrize("array", ARRAYS)
def test_defects_are_found_in_texture(array: str) -> None:
    """8 and more standard deviations of noise and texture around them, in photographs that a lens softened a little."""
    cfa, found, defects, imagined, pixels = ARRAYS[array], 0, 0, 0, 0
    for seed, name in enumerate(("astronaut.png", "chelsea.png", "coffee.png", "motorcycle_left.png")):
        for well in (50_000, 1_500):
            rng = np.random.default_rng(seed)
            scene = cv2.GaussianBlur(shots.photograph(name), (0, 0), 0.6)
            light = np.minimum(_mosaic(scene * shots.NEUTRAL.astype(np.float32), cfa), 1)
            clean, noise = _shot(light, well, rng)
            imagined += _repaired(Mosaic(clean, cfa), noise)[1]
            pixels += light.size
            mean, squares = (cv2.blur(values, (7, 7)) for values in (clean, clean * clean))
            height = 8 * np.sqrt(np.maximum(squares - mean**2, 0)) * rng.uniform(1, 8, light.shape)
            where = (rng.random(light.shape) < 5e-3) & (clean + height < 1)
            hot = np.where(where, clean + height, clean).astype(np.float32)
            found += int(((_repaired(Mosaic(hot, cfa), noise)[0] != hot) & where).sum())
            defects += int(where.sum())
    assert defects > 400
    assert imagined <= pixels / 100_000
    assert found >= 0.97 * defects


def test_the_limit_rises_with_what_is_doubtful_only() -> None:
    sure, doubtful = np.full(200, 8.0, np.float32), np.full(30, -2.0, np.float32)
    limits = [
        defect_classifier.limit(found, 1_000_000)
        for found in (sure, np.r_[sure, doubtful], np.tile(doubtful, 20))
    ]
    assert limits[0] == limits[1] == defect_classifier.limit(np.zeros(0, np.float32), 1_000_000) < 0, (
        "true defects hardly count"
    )
    assert limits[2] > 2, "a picture this sharp has many pixels that are nearly defects"
