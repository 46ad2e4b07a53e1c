"""Refined demosaicing, of the 6×6 array and of denoised mosaics: against the directional method, LibRaw and known truth."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import rawpy
import shots

from irvane.core.errors import Cancelled
from irvane.core.finish import job
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.line.bands import Output
from irvane.core.line.develop import Developed, denoise_whole, develop, refine_plain, to_be_refined
from irvane.core.line.engine import Engine
from irvane.core.line.merging import _frame
from irvane.core.line.realise import realise
from irvane.core.line.results import denoised_key
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FULL, REFINE, REFINED, Request
from irvane.core.line.teststrip import render_crop
from irvane.core.line.view import render_view
from irvane.core.noise.denoise import BEST, FAST, Removal
from irvane.core.pixels.places import OutputRegion
from irvane.core.sensor.demosaic import demosaic
from irvane.core.sensor.refine import Removed, filters_of, refine
from irvane.core.settings import Sensor, Settings
from irvane.core.simulate.camera import Body, camera_from_scene, quiet

GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()
KNEE = 0.001
NAMES = ("chelsea.png", "astronaut.png", "coffee.png")


def _encoded(camera: np.ndarray) -> np.ndarray:
    return np.clip(camera * GAINS, 0, 1) ** (1 / 2.2)


def _camera(name: str = "coffee.png", reduced: bool = True) -> np.ndarray:
    """What the reference body's sensor sees of a photograph."""
    seen = shots.photograph(name, reduced) @ camera_from_scene(quiet(Body("Reference"))).T.astype(np.float32)
    return np.maximum(seen, 0) * shots.NEUTRAL.astype(np.float32)


def _both(camera: np.ndarray, cfa: np.ndarray = SIX_BY_SIX) -> tuple[np.ndarray, np.ndarray]:
    """A picture before and after refining."""
    before = demosaic(shots.mosaic_of(camera, cfa), GAINS, KNEE)
    return before, refine(before, cfa, GAINS, KNEE)


def _developed(iso: float, cfa: np.ndarray = SIX_BY_SIX) -> Developed:
    """A grey ramp as a frame."""
    ramp = np.linspace(0.02, 0.6, 96, dtype=np.float32)
    camera = np.add.outer(ramp, ramp)[..., None] / 2 * shots.NEUTRAL.astype(np.float32)
    return develop(shots.loaded(camera, iso, cfa), Sensor())


def test_photographs_come_nearer_to_the_truth() -> None:
    gains = []
    for name in NAMES:
        camera = _camera(name)
        before, after = (shots.psnr(_encoded(p), _encoded(camera)) for p in _both(camera))
        gains.append(after - before)
    assert np.mean(gains) > 0.3 and min(gains) > 0


def test_it_is_far_better_than_libraw(tmp_path: Path) -> None:
    # LibRaw's own method for the 6×6 array; the wanted lead is from the product's targets
    linear = shots.photograph("astronaut.png", reduced=False)
    shots.dng(tmp_path / "six.dng", linear, six=True)
    developed = develop(FileSource(tmp_path / "six.dng").load(), Sensor())
    ours = refine_plain(developed, Sensor()).plain.read_all()
    with rawpy.imread(str(tmp_path / "six.dng")) as raw:
        out = raw.postprocess(
            gamma=(1, 1), no_auto_bright=True, adjust_maximum_thr=0.0, use_camera_wb=True, output_bps=16,
            output_color=rawpy.ColorSpace.raw,
        )  # fmt: skip
    truth = _camera("astronaut.png", reduced=False)
    theirs = out[: ours.shape[0], : ours.shape[1]].astype(np.float32) / 65535 / GAINS
    theirs *= np.median(truth) / np.median(theirs)
    lead = shots.psnr(_encoded(ours), _encoded(truth)) - shots.psnr(_encoded(theirs), _encoded(truth))
    assert lead > 1.5


@pytest.mark.parametrize("shift", [(0, 0), (2, 3), (5, 1)])
def test_every_phase_of_the_array_is_served(shift: tuple[int, int]) -> None:
    camera = _camera()
    before, after = _both(camera, np.roll(SIX_BY_SIX, shift, (0, 1)))
    assert shots.psnr(_encoded(after), _encoded(camera)) > shots.psnr(_encoded(before), _encoded(camera))


@pytest.mark.parametrize("shape", [(18, 18), (41, 67), (205, 300)])
def test_even_colours_stay_even_up_to_the_rim(shape: tuple[int, int]) -> None:
    camera = np.broadcast_to(np.float32([0.3, 0.2, 0.05]) * shots.NEUTRAL.astype(np.float32), (*shape, 3))
    _, after = _both(np.ascontiguousarray(camera))
    assert after.shape == camera.shape
    assert np.allclose(after * GAINS, camera * GAINS, rtol=0.01)


def test_a_part_is_as_in_the_whole() -> None:
    before, after = _both(_camera())
    part = refine(np.ascontiguousarray(before[60:180, 48:210]), SIX_BY_SIX, GAINS, KNEE)
    assert np.allclose(part[24:-24, 24:-24], after[84:156, 72:186], atol=1e-5)


def test_the_rim_is_as_good_as_the_inside() -> None:
    losses = []
    for name in NAMES:
        camera = _camera(name, reduced=False)
        h, w = (side // 12 * 12 for side in camera.shape[:2])
        camera = np.ascontiguousarray(camera[:h, :w])
        crop = (slice(24, h - 24), slice(24, w - 24))
        whole, part = _both(camera)[1][crop], _both(np.ascontiguousarray(camera[crop]))[1]
        rim = np.ones(part.shape[:2], bool)
        rim[8:-8, 8:-8] = False
        inside, outside = (np.mean((_encoded(p) - _encoded(camera[crop]))[rim] ** 2) for p in (whole, part))
        losses.append(10 * np.log10(outside / inside))
    assert np.mean(losses) < 0.55


def test_filters_are_told_apart() -> None:
    found = filters_of(SIX_BY_SIX, (7, 8))
    assert found.shape == (7, 8)
    assert np.array_equal(found[:6, :6] == 1, SIX_BY_SIX == 0)
    assert np.array_equal(found[:6, :6] == -1, SIX_BY_SIX == 2)


def test_automatic_refines_where_there_is_a_network() -> None:
    calm = _developed(100)
    assert to_be_refined(calm, Sensor())
    assert not to_be_refined(calm, Sensor(demosaic="directional"))
    assert not to_be_refined(_developed(100, BAYER), Sensor()), "there is no network for it"
    done = refine_plain(calm, Sensor())
    assert done.refined and not to_be_refined(done, Sensor()) and done.method.startswith("refined")
    assert not np.array_equal(done.plain.read_all(), calm.plain.read_all())
    assert not to_be_refined(_developed(100, BAYER), Sensor())
    with pytest.raises(Cancelled):
        refine_plain(calm, Sensor(), lambda _share: False)


@pytest.mark.parametrize("iso", [1600, 12800])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_denoised_photographs_come_nearer_to_the_truth(cfa: np.ndarray, iso: float) -> None:
    gains = []
    for name in NAMES:
        camera = _camera(name)
        developed = develop(shots.loaded(camera, iso, cfa), Sensor())
        refined, directional = (
            denoise_whole(developed, Sensor(demosaic=d), Removal(1.0, BEST)).read_all()
            for d in ("auto", "directional")
        )
        gains.append(
            shots.psnr(_encoded(refined), _encoded(camera))
            - shots.psnr(_encoded(directional), _encoded(camera))
        )
    assert np.mean(gains) > 0.12 and min(gains) > -0.1


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("shift", [(0, 0), (1, 1), (3, 2)])
def test_noise_that_was_removed_is_seen_where_it_was(cfa: np.ndarray, shift: tuple[int, int]) -> None:
    """A part of a denoised picture, of any phase of the array, is refined as in the whole."""
    rolled = np.roll(cfa, shift, (0, 1))
    camera, rng = _camera(), np.random.default_rng(4)
    clean = shots.mosaic_of(camera, rolled).data
    noise = NoiseModel((1e-3,) * 3, (2e-3,) * 3, "file")
    noisy = (clean + rng.normal(0, 1, clean.shape) * np.sqrt(1e-3 * clean + 4e-6)).astype(np.float32)
    before = demosaic(Mosaic(clean, rolled), GAINS, KNEE)
    whole = refine(before, rolled, GAINS, KNEE, Removed(noisy, clean, noise, noisy))
    rows, columns = slice(60, 180), slice(48, 210)
    removed = Removed(noisy[rows, columns], clean[rows, columns], noise, noisy[rows, columns])
    part = refine(np.ascontiguousarray(before[rows, columns]), rolled, GAINS, KNEE, removed)
    assert np.allclose(part[24:-24, 24:-24], whole[rows, columns][24:-24, 24:-24], atol=1e-5)
    assert not np.allclose(whole, before, atol=1e-4)


def test_black_without_read_noise_stays_finite() -> None:
    """Noise profiles may state none (DNG specification, NoiseProfile: the offset may be 0)."""
    clean = shots.mosaic_of(_camera(), BAYER).data
    clean[:40] = 0
    before = demosaic(Mosaic(clean, BAYER), GAINS, KNEE)
    noise = NoiseModel((1e-3,) * 3, (0.0,) * 3, "file")
    assert np.isfinite(refine(before, BAYER, GAINS, KNEE, Removed(clean.copy(), clean, noise, clean))).all()


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_denoised_pictures_are_refined_by_the_best_method_only(cfa: np.ndarray) -> None:
    developed = _developed(3200, cfa)
    for kind, changes in ((BEST, True), (FAST, False)):
        removal = Removal(1.0, kind)
        usual, plain = (
            denoise_whole(developed, Sensor(demosaic=d), removal).read_all() for d in ("auto", "directional")
        )
        assert (not np.array_equal(usual, plain)) == changes
        keys = {denoised_key("x", developed, Sensor(demosaic=d), removal) for d in ("auto", "directional")}
        assert len(keys) == 2


def test_the_engine_refines_a_frame_in_the_background(tmp_path: Path) -> None:
    path = tmp_path / "six.dng"
    shots.dng(path, shots.photograph(), cfa=SIX_BY_SIX)
    engine, source, settings = (
        Engine(),
        FileSource(path),
        Settings().with_values({"noise.amount": 0, "lens.aberration": "off", "acutance.automatic": "off"}),
    )
    first = engine.make(source, FULL, settings)
    assert first.denoised_for(settings) and not first.complete_for(settings)
    refined = engine.make(source, REFINE, settings)
    assert refined.complete_for(settings) and engine.best(source, settings.sensor) is refined
    again = engine.make(source, REFINE, settings)
    assert again.developed.plain is refined.developed.plain, "once is enough"
    plain = replace(settings.sensor, demosaic="directional")
    assert engine.make(source, FULL, Settings(sensor=plain)).complete_for(
        settings.with_value("sensor.demosaic", "directional")
    )


@pytest.mark.parametrize("orientation", [1, 3, 6, 8])
def test_what_is_seen_is_refined_before_the_whole_as_in_the_whole(orientation: int, tmp_path: Path) -> None:
    path = tmp_path / "six.dng"
    shots.dng(path, shots.photograph(reduced=False), cfa=SIX_BY_SIX, orientation=orientation)
    engine, source = Engine(), FileSource(path)
    settings = Settings().with_values({"noise.amount": 0, "lens.aberration": "off"})
    sensor, region = settings.sensor, OutputRegion(70, 150, 200, 300)
    before = engine.make(source, FULL, Settings(sensor=sensor)).developed.plain
    frame = engine.make(source, REFINED, settings, region)
    assert frame.refined_at(settings, region) and not frame.refined_at(
        settings, OutputRegion(300, 150, 360, 300)
    )
    assert not frame.complete_for(settings), "the rest is still to come"
    local = frame.developed.plain.read(region).pixels
    assert np.array_equal(frame.developed.plain.read(OutputRegion(300, 150, 360, 300)).pixels,
                          before.read(OutputRegion(300, 150, 360, 300)).pixels)  # fmt: skip
    whole = engine.make(source, REFINE, Settings(sensor=sensor)).developed.plain.read(region).pixels
    assert np.abs(local - whole).max() < 2e-4 < np.abs(before.read(region).pixels - whole).max()


@pytest.mark.parametrize("amount", [0, 60, 100])
def test_a_proof_that_is_complete_is_refined_too(tmp_path: Path, amount: float) -> None:
    """What reports and test strips show is what is written."""
    path = tmp_path / "six.dng"
    shots.dng(path, shots.photograph(), cfa=SIX_BY_SIX, iso=3200)
    engine, source = Engine(), FileSource(path)
    settings = Settings().with_value("noise.amount", amount)
    made = engine.complete(source, Request(settings))
    assert made.complete_for(settings) and made.developed.refined
    written, context = realise(source, settings)
    assert written.refined == (amount < 100), "of the plain picture nothing is seen"
    one, other = (job.assemble(d, settings, context, Output(), 16) for d in (made.developed, written))
    assert np.array_equal(one, other)
    strip = render_crop(Engine(), source, settings, OutputRegion(0, 0, 90, 120)).rendered
    shown = render_view(written, settings, made.context, OutputRegion(0, 0, 90, 120))
    assert np.abs(strip.pixels.astype(int) - shown.pixels).max() <= 1


def test_members_of_a_merge_are_refined(tmp_path: Path) -> None:
    path = tmp_path / "six.dng"
    shots.dng(path, shots.photograph(), cfa=SIX_BY_SIX)
    source = FileSource(path)
    plain = _frame(source, source.load(), Settings(), lambda _share: True).plain
    assert np.array_equal(
        plain, realise(FileSource(path), Settings().with_value("noise.amount", 0))[0].plain.read_all()
    )
