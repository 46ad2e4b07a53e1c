"""The networks: what they must keep whatever their weights are, and that they beat the classical method."""

from __future__ import annotations

import json
from importlib.resources import files

import numpy as np
import pytest
import shots
from scipy.ndimage import uniform_filter

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.noise.denoise import CLASSICAL, Method, denoise_mosaic, method_for
from irvane.core.noise.stabilise import stabilise
from irvane.core.sensor.packing import PACKINGS

GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()
ORDERS = {name: np.roll(BAYER, shift, (0, 1)) for name, shift in
          {"rggb": (0, 0), "grbg": (0, 1), "gbrg": (1, 0), "bggr": (1, 1)}.items()}  # fmt: skip


ARRAYS = pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])


def _flat(level: float, noise: NoiseModel, cfa: np.ndarray, side: int = 384, seed: int = 0) -> Mosaic:
    return shots.noisy(Mosaic(np.full((side, side), level, np.float32), cfa), noise, seed)


def _gain_db(dirty: np.ndarray, clean: np.ndarray, truth: np.ndarray) -> float:
    return float(10 * np.log10(np.mean((dirty - truth) ** 2) / np.mean((clean - truth) ** 2)))


@ARRAYS
@pytest.mark.parametrize("level", [0.003, 0.02, 0.1, 0.4])
@pytest.mark.parametrize("iso", [800, 12800, 51200])
def test_flat_light_comes_out_flat_and_equally_bright(level: float, iso: float, cfa: np.ndarray) -> None:
    noise = shots.noise_of(iso)
    dirty = _flat(level, noise, cfa)
    clean = denoise_mosaic(dirty, noise, GAINS)[24:-24, 24:-24]
    sigma = noise.sigma(level)
    assert clean.std() < 0.25 * sigma
    # an even brightness shift is what the eye would see first; the mean of so many pixels has next to no noise
    assert clean.mean() == pytest.approx(level, abs=0.05 * sigma + 0.01 * level)


@pytest.mark.parametrize("order", ORDERS)
def test_all_bayer_orders_are_equally_clean(order: str) -> None:
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    noise = shots.noise_of(6400)
    gains = {}
    for cfa in (BAYER, ORDERS[order]):
        truth = shots.mosaic_of(camera, cfa)
        dirty = shots.noisy(truth, noise)
        gains[cfa.tobytes()] = _gain_db(dirty.data, denoise_mosaic(dirty, noise, GAINS), truth.data)
    first, second = gains[BAYER.tobytes()], gains[ORDERS[order].tobytes()]
    assert first > 2
    assert second == pytest.approx(first, abs=0.25)


@ARRAYS
@pytest.mark.parametrize("shape", [(64, 64), (65, 97), (130, 71)])
def test_any_size_is_denoised_to_its_rim(shape: tuple[int, int], cfa: np.ndarray) -> None:
    noise = shots.noise_of(12800)
    truth = Mosaic(np.full(shape, 0.1, np.float32), cfa)
    clean = denoise_mosaic(shots.noisy(truth, noise), noise, GAINS)
    assert clean.shape == shape
    rim = np.ones(shape, bool)
    rim[8:-8, 8:-8] = False
    assert (clean - 0.1)[rim].std() < 0.45 * noise.sigma(0.1)


@ARRAYS
def test_tiles_leave_no_seams(cfa: np.ndarray) -> None:
    camera = shots.photograph("chelsea.png", reduced=False)[:288, :432] * shots.NEUTRAL.astype(np.float32)
    noise = shots.noise_of(6400)
    dirty = shots.noisy(shots.mosaic_of(np.ascontiguousarray(camera), cfa), noise)
    usual = method_for(cfa)
    small = Method(usual.name, usual.tile, usual.halo, (96, 144))
    whole, tiled = (denoise_mosaic(dirty, noise, GAINS, method=m) for m in (usual, small))
    # a value that lies between two whole numbers may be rounded to the other one: a fiftieth of the noise
    assert np.abs(whole - tiled).max() < 0.02 * noise.sigma(0.1)


def test_more_strength_removes_more() -> None:
    noise = shots.noise_of(6400)
    dirty = shots.noisy(shots.mosaic_of(shots.photograph() * shots.NEUTRAL.astype(np.float32)), noise)
    removed = [np.mean((denoise_mosaic(dirty, noise, GAINS, s) - dirty.data) ** 2) for s in (0.5, 1.0, 2.0)]
    assert removed[0] < removed[1] < removed[2]


@ARRAYS
@pytest.mark.parametrize(("iso", "more"), [(3200, -0.05), (12800, 0.2), (51200, 0.4)])
def test_it_beats_the_classical_method_on_photographs(iso: float, more: float, cfa: np.ndarray) -> None:
    # scikit-image's photographs; none was used in training
    noise = shots.noise_of(iso)
    ours, classical = [], []
    for name in ("astronaut.png", "chelsea.png"):
        camera = shots.photograph(name, reduced=False)[:300, :300] * shots.NEUTRAL.astype(np.float32)
        truth = shots.mosaic_of(np.ascontiguousarray(camera), cfa)
        dirty = shots.noisy(truth, noise)
        # judged where noise is equal everywhere, as the eye nearly does
        target = stabilise(truth.data, cfa, noise)
        for results, method in ((ours, method_for(cfa)), (classical, CLASSICAL)):
            clean = stabilise(denoise_mosaic(dirty, noise, GAINS, method=method), cfa, noise)
            results.append(_gain_db(stabilise(dirty.data, cfa, noise), clean, target))
    assert np.mean(ours) > np.mean(classical) + more


@ARRAYS
def test_nothing_is_invented_in_even_areas(cfa: np.ndarray) -> None:
    """What is left of pure noise is soft: no pattern of pixels, no lines."""
    noise = shots.noise_of(51200)
    clean = denoise_mosaic(_flat(0.15, noise, cfa, 480), noise, GAINS)[48:-48, 48:-48]
    period = cfa.shape[0]
    cell = clean[::period, ::period] - uniform_filter(clean[::period, ::period], 31)
    spectrum = np.abs(np.fft.fft2(cell)) ** 2
    spectrum[0, 0] = 0
    # the strongest single wave holds a small part of what is left
    assert spectrum.max() / spectrum.sum() < 0.03
    lines = cell.mean(axis=1).std(), cell.mean(axis=0).std()
    assert max(lines) < 0.5 * cell.std()


def test_fine_lettering_survives_where_it_can_be_read() -> None:
    """Strokes of two pixels at twice the noise: most of their contrast is kept."""
    noise = shots.noise_of(3200)
    page = np.full((240, 240), 0.25, np.float32)
    for k in range(10, 230, 12):
        page[k : k + 2, 20:220] = 0.10
        page[20:220, k : k + 2] = 0.10
    dirty = shots.noisy(Mosaic(page, BAYER), noise)
    clean = denoise_mosaic(dirty, noise, GAINS)
    ink = page < 0.2
    inner = np.zeros_like(ink)
    inner[24:216, 24:216] = True
    contrast = clean[~ink & inner].mean() - clean[ink & inner].mean()
    assert contrast > 0.85 * 0.15


@pytest.mark.parametrize("array", ["bayer", "six_by_six"])
def test_the_making_of_the_weights_is_recorded(array: str) -> None:
    record = json.loads(files("irvane.core.noise").joinpath(f"{array}.json").read_text("utf-8"))
    assert sum(run["steps"] for run in record["runs"]) > 1000
    assert {"script", "pictures", "runs", "parameters"} <= set(record)


@pytest.mark.parametrize("period", PACKINGS)
@pytest.mark.parametrize("shape", [(37, 50), (17, 96), (100, 19)])
def test_mosaics_are_packed_without_loss_from_any_beginning(period: int, shape: tuple[int, int]) -> None:
    packing = PACKINGS[period]
    for shift in np.ndindex(period, period):
        cfa = np.roll(packing.cfa, shift, (0, 1))
        before = packing.beginning(cfa)
        rows, columns = (packing.continued(b, n) for b, n in zip(before, shape, strict=True))
        colours = Mosaic(np.zeros(shape, np.float32), cfa).colours()[np.ix_(rows, columns)]
        whole = np.tile(packing.cfa, (64, 64))[: len(rows), : len(columns)]
        np.testing.assert_array_equal(colours, whole)  # what is continued has the colours that belong there
        planes = packing.pack(np.float32(colours) + 1)
        assert planes.shape == (packing.planes, len(rows) // packing.cell, len(columns) // packing.cell)
        assert all(len(np.unique(plane[plane > 0])) == 1 for plane in planes)  # one colour each
        np.testing.assert_array_equal(packing.unpack(planes), colours + 1)


def test_other_arrays_are_refused() -> None:
    with pytest.raises(ValueError, match="no network"):
        PACKINGS[2].beginning(SIX_BY_SIX[:2, :2])
