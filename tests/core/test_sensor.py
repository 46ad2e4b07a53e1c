"""Levels, defects, demosaicing, highlights: against LibRaw, colour-demosaicing and known truth."""

from __future__ import annotations

from pathlib import Path

import colour_demosaicing
import numpy as np
import pytest
import rawpy
import shots
from scipy import ndimage

from irvane.core.files.raw import decode_raw
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.sensor.clipping import CLIP_FULL
from irvane.core.sensor.demosaic import bin_colour, demosaic
from irvane.core.sensor.exposure import sensor_exposure
from irvane.core.sensor.highlights import make_map, rebuild
from irvane.core.sensor.levels import apply_levels
from irvane.core.settings import Sensor, Settings
from irvane.core.simulate.camera import Body, camera_from_scene, quiet

#: Linear sRGB to linear BT.2020 (ITU-R BT.2087).
_2020 = np.array(
    [[0.6274039, 0.3292830, 0.0433131], [0.0690973, 0.9195404, 0.0113623], [0.0163914, 0.0880133, 0.8955953]]
)
GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()


def _encoded(camera: np.ndarray) -> np.ndarray:
    return np.clip(camera * GAINS, 0, 1) ** (1 / 2.2)


@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png"])
def test_bayer_beats_menon_2007(name: str) -> None:
    # Menon, Andriani & Calvagno 2007 in colour-demosaicing, given white-balanced light in the same power domain
    camera = shots.photograph(name) * shots.NEUTRAL.astype(np.float32)
    mosaic = shots.mosaic_of(camera)
    ours = demosaic(mosaic, GAINS, 0.001)
    encoded = np.clip(mosaic.data * GAINS[mosaic.colours()], 0, 1) ** (1 / 2.2)
    theirs = colour_demosaicing.demosaicing_CFA_Bayer_Menon2007(encoded, "RGGB")
    truth = _encoded(camera)
    assert shots.psnr(_encoded(ours), truth) > shots.psnr(np.clip(theirs, 0, 1), truth) - 0.1
    bilinear = colour_demosaicing.demosaicing_CFA_Bayer_bilinear(encoded, "RGGB")
    assert shots.psnr(_encoded(ours), truth) > shots.psnr(np.clip(bilinear, 0, 1), truth) + 2


@pytest.mark.parametrize("shift", [(0, 0), (0, 1), (1, 0), (1, 1)])
def test_all_bayer_orders_are_equally_good(shift: tuple[int, int]) -> None:
    cfa = np.roll(BAYER, shift, axis=(0, 1))
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    reference = shots.psnr(_encoded(demosaic(shots.mosaic_of(camera), GAINS, 0.001)), _encoded(camera))
    result = shots.psnr(_encoded(demosaic(shots.mosaic_of(camera, cfa), GAINS, 0.001)), _encoded(camera))
    assert abs(result - reference) < 0.6


@pytest.mark.parametrize("shift", [(0, 0), (2, 3), (5, 1)])
def test_six_by_six_array_in_any_phase(shift: tuple[int, int]) -> None:
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    cfa = np.roll(SIX_BY_SIX, shift, axis=(0, 1))
    result = demosaic(shots.mosaic_of(camera, cfa), GAINS, 0.001)
    assert shots.psnr(_encoded(result), _encoded(camera)) > 31


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("method", ["auto", "linear"])
def test_flat_grey_stays_flat_up_to_the_rim(cfa: np.ndarray, method: str) -> None:
    camera = np.broadcast_to(shots.NEUTRAL.astype(np.float32) * 0.3, (50, 55, 3))
    result = demosaic(shots.mosaic_of(np.ascontiguousarray(camera), cfa), GAINS, 0.001, method)
    assert np.allclose(result, camera, atol=2e-3)


def test_binning_keeps_the_mean() -> None:
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    for cfa, n in ((BAYER, 2), (SIX_BY_SIX, 3)):
        small = bin_colour(shots.mosaic_of(camera, cfa))
        assert small.shape[0] == camera.shape[0] // n
        assert np.allclose(small.mean(axis=(0, 1)), camera.mean(axis=(0, 1)), rtol=0.02)


def test_levels_and_pattern_agree_with_libraw(tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    counts = shots.dng(path, shots.photograph())
    raw = decode_raw(path)
    with rawpy.imread(str(path)) as other:
        assert np.array_equal(raw.counts, other.raw_image_visible)
        assert raw.black.tolist() == list(other.black_level_per_channel)[:3]
        assert raw.white[0] == other.white_level
    assert np.array_equal(raw.counts, counts)
    assert np.array_equal(raw.cfa, BAYER)
    scaled = apply_levels(counts, BAYER, raw.black, raw.white)
    expected = (counts.astype(float) - 512) / (16383 - 512)
    assert np.allclose(scaled, expected, atol=1e-6)
    assert scaled.min() < 0.01


def test_one_clipped_colour_is_rebuilt() -> None:
    # a sky that rises beyond the clip of one colour; the others hold
    h, w = 240, 360
    ramp = np.linspace(0.35, 1.5, w, dtype=np.float32)
    hue = np.array([0.95, 1.0, 0.62], np.float32)
    truth = np.broadcast_to(ramp[None, :, None] * hue, (h, w, 3)) * shots.NEUTRAL.astype(np.float32)
    truth = np.ascontiguousarray(truth)
    seen = np.minimum(truth, 1)
    result = rebuild(seen, GAINS, make_map(seen, GAINS, (h, w)), 0, 0, 1.0)
    lost = (truth[..., 1] > 1.02) & (truth[..., 0] < 0.95)
    error = np.abs(np.log2(result[lost, 1] / truth[lost, 1]))
    assert np.median(error) < 0.25  # EV
    ratio = result[lost] * GAINS
    assert (ratio[:, 1] > 0.9 * ratio[:, 2]).mean() > 0.99, "nothing turns magenta"


def test_all_colours_clipped_turn_neutral() -> None:
    seen = np.ones((120, 160, 3), np.float32)
    seen[:, :60] = shots.NEUTRAL.astype(np.float32) * 0.5
    result = rebuild(seen, GAINS, make_map(seen, GAINS, (120, 160)), 0, 0, 1.0)
    balanced = result[60, 120] * GAINS
    assert np.ptp(balanced) < 0.02 * balanced.max()
    assert np.array_equal(result[:, :50], seen[:, :50])


def test_a_part_is_rebuilt_as_in_the_whole() -> None:
    y, x = np.mgrid[:150, :210].astype(np.float32)
    glow = 2.5 * np.exp(-(((y - 70) / 30) ** 2 + ((x - 100) / 40) ** 2))[..., None] + 0.05
    seen = np.minimum(np.float32(glow * np.array([1.6, 1.0, 0.55]) * shots.NEUTRAL), 1)
    lent = make_map(seen, GAINS, (1500, 2100))  # of a frame that the picture is a tenth of
    whole = rebuild(seen, GAINS, lent, 0, 0, 10.0)
    part = rebuild(seen[41:93, 60:143], GAINS, lent, 410, 600, 10.0)
    assert (whole[41:93, 60:143] != seen[41:93, 60:143]).any(axis=2).sum() > 500
    np.testing.assert_allclose(part, whole[41:93, 60:143], rtol=1e-5)


def test_where_all_is_gone_a_flame_goes_on() -> None:
    """Its middle clips in all colours; around it one colour after the other does. No grey, no darker step."""
    y, x = np.mgrid[:240, :320].astype(np.float32)
    glow = 3.2 * np.exp(-(((y - 120) / 60) ** 2 + ((x - 160) / 80) ** 2))[..., None] + 0.05
    truth = np.float32(glow * np.array([1.6, 1.0, 0.55]) * shots.NEUTRAL)
    seen = np.minimum(truth, 1)
    result = rebuild(seen, GAINS, make_map(seen, GAINS, (240, 320)), 0, 0, 1.0)
    gone = (truth.min(axis=2) > 1.0) & (truth.max(axis=2) > 1.2)
    beside = (truth.min(axis=2) > 0.85) & (truth.min(axis=2) < 0.95)
    assert gone.sum() > 200
    inner, rim = (np.median((result * GAINS)[m], axis=0) for m in (gone, beside))
    assert inner[0] > 1.1 * inner[1] > 1.1 * 1.2 * inner[2], "still the colour of the flame"
    assert (inner > 0.9 * rim).all(), "not darker than what is beside it"
    assert (result[gone] >= 1).all()


def test_a_sky_behind_leaves_takes_none_of_their_colour() -> None:
    """Green and blue of the sky clip, red holds; all that holds entirely are leaves, whose blue is weak.

    That its blue clips says that the sky is no brighter leaf.
    """
    rng = np.random.default_rng(3)
    leaves = rng.uniform(0.15, 0.6, (24, 32, 1)) * np.array([0.5, 1.0, 0.3]) + rng.uniform(
        0, 0.05, (24, 32, 3)
    )
    balanced = np.repeat(np.repeat(leaves, 10, 0), 10, 1).astype(np.float32)
    gaps = np.zeros(balanced.shape[:2], bool)
    for y, x in rng.integers(8, (232, 312), (60, 2)):
        gaps[y - 5 : y + 5, x - 6 : x + 6] = True
    balanced[gaps] = (1.2, 1.47, 1.69)
    truth = balanced * shots.NEUTRAL.astype(np.float32)
    seen = np.minimum(truth, 1)
    result = rebuild(seen, GAINS, make_map(seen, GAINS, truth.shape[:2]), 0, 0, 1.0)
    red, green, blue = np.median((result * GAINS)[gaps], axis=0)
    assert red == pytest.approx(1.2, abs=0.01) and blue >= 1.47
    assert 1.3 < green < 1.65, "the ratio of the leaves alone would say 2.4"


@pytest.mark.parametrize("shape", [(16, 16), (17, 16), (41, 67), (201, 403), (400, 17)])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_odd_and_small_sizes_are_full_pictures(cfa: np.ndarray, shape: tuple[int, int]) -> None:
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    light = 0.2 + 0.1 * np.sin(x / 19) * np.cos(y / 23)
    camera = light[..., None] * shots.NEUTRAL.astype(np.float32)
    result = demosaic(shots.mosaic_of(camera, cfa), GAINS, 0.001)
    assert result.shape == (*shape, 3)
    assert np.abs(result - camera).max() < 0.02


def _rim_loss(name: str, cfa: np.ndarray) -> float:
    """dB lost in a crop's outermost 8 px against the same pixels developed inside of the whole frame."""
    camera = shots.photograph(name, reduced=False) * shots.NEUTRAL.astype(np.float32)
    h, w = (side // 12 * 12 for side in camera.shape[:2])
    camera = np.ascontiguousarray(camera[:h, :w])
    whole = demosaic(shots.mosaic_of(camera, cfa), GAINS, 0.001)
    crop = (slice(24, h - 24), slice(24, w - 24))
    part = demosaic(shots.mosaic_of(np.ascontiguousarray(camera[crop]), cfa), GAINS, 0.001)
    rim = np.ones(part.shape[:2], bool)
    rim[8:-8, 8:-8] = False
    inside, outside = (np.mean((_encoded(p) - _encoded(camera[crop]))[rim] ** 2) for p in (whole[crop], part))
    return float(10 * np.log10(outside / inside))


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_the_rim_is_as_good_as_the_inside(cfa: np.ndarray) -> None:
    loss = np.mean([_rim_loss(name, cfa) for name in ("chelsea.png", "astronaut.png", "coffee.png")])
    assert loss < 0.5


def _overexposed(name: str, stops: float, path: Path) -> tuple[np.ndarray, np.ndarray]:
    """A photograph whose brightest tenth loses light: its true camera colours, and what is rebuilt of it."""
    linear = shots.photograph(name)
    light = linear @ _2020.T.astype(np.float32)
    body = quiet(Body("Reference"))
    camera = (light @ camera_from_scene(body).T.astype(np.float32)) * shots.NEUTRAL.astype(np.float32)
    factor = np.float32(2**stops / np.percentile(camera.max(axis=2), 97))
    shots.dng(path, light * factor)
    developed = develop(FileSource(path).load(), Sensor())
    context = make_context(developed)
    rebuilt = rebuild(developed.plain.read_all(), developed.gains, context.highlights, 0, 0, 1)
    return camera * factor, rebuilt


def _highlight_errors(path: Path, truth: np.ndarray, rebuilt: np.ndarray) -> dict[str, np.ndarray]:
    """Errors in EV of lost colours where one still holds, ours and LibRaw's, within 1.5 stops."""
    lost = np.log2(np.maximum(truth.max(axis=2), 1e-6))
    chosen = (lost > 0.1) & (lost <= 1.5) & (truth.min(axis=2) < 0.9)
    gone = chosen[..., None] & (truth > 1)
    gone[:16] = gone[-16:] = gone[:, :16] = gone[:, -16:] = False
    held = (truth.max(axis=2) < 0.8) & (truth.min(axis=2) > 0.02)
    results = {"ours": rebuilt}
    for name in ("Blend", "ReconstructDefault"):
        with rawpy.imread(str(path)) as raw:
            out = raw.postprocess(
                gamma=(1, 1), no_auto_bright=True, adjust_maximum_thr=0.0, use_camera_wb=True, output_bps=16,
                output_color=rawpy.ColorSpace.raw, highlight_mode=rawpy.HighlightMode[name],
            )  # fmt: skip
        theirs = out[: truth.shape[0], : truth.shape[1]].astype(np.float32) / 65535 / GAINS
        results[name] = theirs * np.median(truth[held] / np.maximum(theirs[held], 1e-5))
    return {k: np.abs(np.log2(np.maximum(r[gone], 1e-4) / truth[gone])) for k, r in results.items()}


def test_rebuilt_highlights_beat_libraws_modes(tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    found: dict[str, list[np.ndarray]] = {}
    for name in ("chelsea.png", "astronaut.png", "coffee.png"):
        for stops in (1.0, 2.0):
            for kind, errors in _highlight_errors(path, *_overexposed(name, stops, path)).items():
                found.setdefault(kind, []).append(errors)
    medians = {kind: float(np.median(np.concatenate(errors))) for kind, errors in found.items()}
    assert medians["ours"] <= 0.25  # EV
    assert medians["ours"] < min(medians["Blend"], medians["ReconstructDefault"])


def test_leaves_lend_nothing_to_the_sky_beside_them() -> None:
    """Two kinds of surroundings: the ratio of the colours that hold tells which of them a clipped place resembles."""
    h, w = 240, 360
    sky, leaf = np.array([0.75, 0.95, 1.1]), np.array([0.55, 1.0, 0.25])
    level = np.full((h, w), 0.7)
    level[:, 120:240] = 1.3  # the middle is clipped in green
    scene = np.where((np.arange(h) % 40 < 20)[:, None, None], sky, leaf) * level[..., None]
    truth = (scene / GAINS * 0.95).astype(np.float32)
    seen = np.minimum(truth, 1)
    bits = (truth >= 1).any(axis=2).astype(np.uint8)
    result = rebuild(seen, GAINS, make_map(seen, GAINS, (h, w), bits), 0, 0, 1.0)
    middle = result[4:16, 170:190] * GAINS
    assert np.abs(np.log2(middle[..., 1] / middle[..., 0]) - np.log2(0.95 / 0.75)).mean() < 0.15


def test_headroom_is_stops_to_clipping() -> None:
    camera = np.full((60, 60, 3), (0.25, 0.5, 1.0), np.float32)
    found = sensor_exposure(shots.mosaic_of(camera))
    assert found.headroom == pytest.approx((2.0, 1.0, 0.0), abs=0.03)
    assert found.clipped == pytest.approx([0, 0, 1])


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_the_sensors_histogram_counts_like_numpy(cfa: np.ndarray) -> None:
    mosaic = shots.noisy(
        shots.mosaic_of(shots.photograph() * shots.NEUTRAL.astype(np.float32), cfa), shots.noise_of(800)
    )
    found, colours = sensor_exposure(mosaic), mosaic.colours()
    for c in range(3):
        values = mosaic.data[colours == c]
        stops = np.log2(np.maximum(values, 1e-9)[values < CLIP_FULL])
        counts = np.histogram(stops, np.linspace(-14, 0, 14 * 6 + 1))[0] / values.size
        np.testing.assert_allclose(found.counts[c].reshape(-1, 8).sum(1), counts, atol=2e-4)
        assert found.below[c] == pytest.approx((values < 2.0**-14).mean(), abs=1e-3)
        assert found.headroom[c] == pytest.approx(-np.log2(np.percentile(values, 99.9)), abs=0.03)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_no_pixel_of_a_clipped_place_is_left_below_the_clip(cfa: np.ndarray, tmp_path: Path) -> None:
    """Single ones would not be rebuilt with the others: magenta specks in a bright sky."""
    light = shots.photograph("chelsea.png") * np.float32(0.5)
    y, x = np.mgrid[: light.shape[0], : light.shape[1]]
    light[(np.sin(x / 5.0) + np.sin(y / 7.0 + x / 11.0)) > 0.2] = (1.3, 1.7, 1.9)  # sky between leaves
    path = tmp_path / "sky.dng"
    shots.dng(path, light, cfa=cfa, iso=800)
    developed, _ = realise(FileSource(path), Settings().with_value("sensor.defects", "off"))
    mosaic = FileSource(path).load().mosaic
    assert mosaic is not None and developed.denoised is not None
    colours, ring = mosaic.colours(), np.ones((3, 3))
    for picture in (developed.plain.read_all(), developed.denoised.read_all()):
        for c in range(3):
            mine, clipped = colours == c, mosaic.data >= CLIP_FULL
            some = ndimage.binary_dilation(mine & clipped, ring)
            whole = some & ~ndimage.binary_dilation(mine & ~clipped, ring)
            assert whole.mean() > (0 if c else -1) and (picture[whole, c] >= 0.9999).all()
