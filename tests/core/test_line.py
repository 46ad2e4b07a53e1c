"""The line: what is seen is what is written; the engine; jobs."""

from __future__ import annotations

import threading
from dataclasses import replace
from pathlib import Path

import colour
import cv2
import numpy as np
import pytest
import shots

from irvane.core.colour.spaces import SPACES
from irvane.core.errors import Cancelled, IrvaneError, ReadError
from irvane.core.finish.job import assemble
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.judge.figures import whole_figures
from irvane.core.line.bands import Output
from irvane.core.line.context import make_context
from irvane.core.line.develop import Developed, denoise_whole, develop, quick
from irvane.core.line.engine import Engine
from irvane.core.line.frame import Frame
from irvane.core.line.jobs import Worker
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import COARSE, FAST_PART, FULL, MOSAIC, PART, Request
from irvane.core.line.view import render_view, scene_patch, show
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.patches import trim
from irvane.core.pixels.picture import decode16, encode16
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Acutance, Colour, Light, Settings, bare
from irvane.core.store.cache import ResultCache

#: One setting of every station moved, so that every step takes part.
EVERYTHING = replace(
    Settings(),
    light=Light(exposure=0.7, contrast=15, black=0.5, white=0.3, shadows=1.5, highlights=-1.0),
    colour=Colour(temperature=4800, saturation=120),
    acutance=Acutance(fine=60, medium=40, coarse=30),
).with_value("lens.vignetting", 0.6)


def _frame(cfa: np.ndarray = BAYER, iso: float = 1600, flip: int = 0) -> Frame:
    # as detailed as a lens makes it: real frames hold little at the scale of single pixels
    large = cv2.resize(shots.photograph("astronaut.png"), None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC)
    camera = np.maximum(large, 0) * shots.NEUTRAL.astype(np.float32) * 1.4
    developed = develop(shots.loaded(camera, iso, cfa, flip), Settings().sensor)
    return Frame(developed, make_context(developed), False)


@pytest.fixture(scope="module")
def bayer() -> Frame:
    frame = _frame()
    clean = denoise_whole(frame.developed, Settings().sensor, Removal(1.0))
    frame.developed = replace(frame.developed, denoised=clean, removal=Removal(1.0))
    return frame


STEPS = {
    "untouched": Settings(),
    "exposure": Settings().with_value("light.exposure", 1.3),
    "shadows": Settings().with_value("light.shadows", 3),
    "highlights": Settings().with_value("light.highlights", -2),
    "contrast": Settings().with_value("light.contrast", 30),
    "ends": Settings().with_value("light.black", 2).with_value("light.white", 1),
    "local contrast": Settings().with_value("light.local_small", 60).with_value("light.local_large", 60),
    "curves": Settings().with_value("light.curve", "-4:-4.5, 1:1.3").with_value("light.curve_red", "0:0.2"),
    "roll-off": Settings().with_value("light.exposure", 1).with_value("light.roll_off", 2),
    "operator": Settings().with_value("light.tone_map", "photographic"),
    "colour": Settings().with_value("colour.temperature", 3900).with_value("colour.saturation", 140),
    "vignetting": Settings().with_value("lens.vignetting", 1),
    "noise": Settings().with_value("noise.amount", 60).with_value("noise.luminance", 40),
    "sharpening": replace(Settings(), acutance=Acutance(fine=80, medium=60, coarse=40)),
    "everything": EVERYTHING,
}


@pytest.mark.parametrize("name", STEPS)
def test_a_view_at_one_to_one_is_what_is_written(bayer: Frame, name: str) -> None:
    settings = STEPS[name]
    whole = assemble(bayer.developed, settings, bayer.context, Output("srgb"), 32)
    for region in (
        OutputRegion(100, 130, 260, 330),
        OutputRegion(0, 0, 90, 80),
        OutputRegion(500, 600, 660, 760),
    ):
        patch = trim(scene_patch(bayer.developed, settings, bayer.context, region), region)
        seen = SPACES["srgb"].encode(show(patch, bayer.developed, settings))
        written = whole[region.top : region.bottom, region.left : region.right]
        assert np.abs(seen - written).max() < 1e-4


def _lab(linear: np.ndarray) -> np.ndarray:
    return colour.XYZ_to_Lab(colour.RGB_to_XYZ(linear, "sRGB", apply_cctf_decoding=False))


@pytest.mark.parametrize("name", STEPS)
def test_the_fitted_view_is_the_reduced_result(bayer: Frame, name: str) -> None:
    settings, step = STEPS[name], 4.0
    h, w = bayer.developed.extent
    region = OutputRegion(0, 0, h, w)
    everything = scene_patch(bayer.developed, settings, bayer.context, region)
    size = (w // 4, h // 4)
    whole = show(everything, bayer.developed, settings)[: size[1] * 4, : size[0] * 4]
    reduced = _lab(cv2.resize(whole, size, interpolation=cv2.INTER_AREA))
    # at rest: rendered at full resolution, then reduced
    _, exact = whole_figures(bayer.developed, settings, bayer.context, step_wished=step)
    assert exact is not None
    decoded = SPACES["srgb"].decode(exact.pixels[..., :3] / 255)
    difference = colour.delta_E(_lab(decoded[: size[1], : size[0]]), reduced, method="CIE 2000")
    assert difference.mean() <= 0.5
    assert np.percentile(difference, 99) <= 2
    # while a slider moves: reduced first, then rendered
    fit = OutputRegion(0, 0, h, w, step)
    live = show(
        trim(scene_patch(bayer.developed, settings, bayer.context, fit), fit), bayer.developed, settings
    )
    difference = colour.delta_E(_lab(live[: size[1], : size[0]]), reduced, method="CIE 2000")
    assert difference.mean() <= 0.7
    assert np.percentile(difference, 95) <= 3


def test_amount_zero_equals_off_exactly(bayer: Frame) -> None:
    off = Settings().with_value("noise.amount", 0)
    region = OutputRegion(100, 100, 200, 220)
    without = Developed(**{**vars(bayer.developed), "denoised": None})
    a = scene_patch(bayer.developed, off, bayer.context, region).pixels
    b = scene_patch(without, off, bayer.context, region).pixels
    assert np.array_equal(a, b)


@pytest.mark.parametrize("flip", [0, 3, 5, 6])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_locally_denoised_pixels_are_those_of_the_whole(cfa: np.ndarray, flip: int, tmp_path: Path) -> None:
    class Given:
        key, paths, name = f"{flip}{cfa.shape}", (tmp_path,), "given"

        def load(self, _progress: object = None) -> object:
            camera = shots.photograph("astronaut.png") * shots.NEUTRAL.astype(np.float32)
            return shots.loaded(np.ascontiguousarray(camera[:204, :240]), 6400, cfa, flip)

    engine, settings = Engine(), Settings()
    source = Given()
    assert engine.best(source, settings.sensor) is None
    coarse = engine.make(source, COARSE, settings)
    assert coarse.coarse
    extent = coarse.developed.extent
    region = OutputRegion(70, 80, 130, 150)
    frame = engine.make(source, PART, settings, region)
    assert not frame.coarse
    assert frame.developed.extent == extent
    clean = frame.clean(settings, region)
    assert clean is not None
    local = render_view(frame.developed, settings, frame.context, region, clean).pixels
    whole = engine.complete(source, Request(settings))
    assert whole.denoised_for(settings)
    final = render_view(whole.developed, settings, whole.context, region).pixels
    assert np.abs(local.astype(int) - final.astype(int)).max() <= 1
    kept = engine.best(source, settings.sensor)
    assert kept is not None and kept.fitting(settings).developed.denoised is whole.developed.denoised


def test_panes_keep_what_was_denoised_for_each(frames: Path) -> None:
    """Were each to push out the other's, they would be made in turns for ever."""
    engine, settings = Engine(), Settings().with_value("noise.amount", 100)
    source = FileSource(frames / "bench-iso6400.dng")
    full = engine.make(source, FULL, settings)
    h, w = full.developed.extent
    reduced = [OutputRegion(0, 0, h, w, step) for step in (2.0, 2.01, 2.02)]
    near = [OutputRegion(top, 40, top + 60, 100) for top in (20, 60, 90)]
    shown = [(source, settings.sensor)], [full.removal(settings)]
    engine.pin(*shown, reduced + near)
    for region in reduced:
        frame = engine.make(source, FAST_PART, settings, region)
    for region in near:
        frame = engine.make(source, PART, settings, region)
    assert all(frame.rough(settings, region) is not None for region in reduced)
    assert all(frame.clean(settings, region) is not None for region in near)
    engine.pin(*shown, near[:1])
    engine.make(source, PART, settings, near[0])
    engine.make(source, FAST_PART, settings, reduced[0])
    assert len(frame.patches) == len(frame.reduced) == 1, "what no pane shows any more is given up"


def test_the_engine_keeps_to_its_budget(frames: Path) -> None:
    engine = Engine(budget=8_000_000)
    sensor = Settings().sensor
    first, second = FileSource(frames / "test-card.dng"), FileSource(frames / "furnace-hand-1.dng")
    engine.make(first, FULL, Settings(sensor=sensor))
    engine.make(second, FULL, Settings(sensor=sensor))
    assert engine.best(first, sensor) is None
    assert engine.best(second, sensor) is not None
    engine.pin([(second, sensor)])
    engine.make(first, FULL, Settings(sensor=sensor))
    assert engine.best(second, sensor) is not None


def test_what_is_shown_waits_on_disk_where_memory_ends(frames: Path, tmp_path: Path) -> None:
    """Both frames are shown: neither may go, nor both stay; what is read of them remains the same."""
    sensor = Settings().sensor
    sources = [FileSource(frames / f"{name}.dng") for name in ("test-card", "furnace-hand-1")]
    expected = [Engine().make(source, FULL, Settings(sensor=sensor)) for source in sources]
    sizes = [frame.developed.plain.nbytes for frame in expected]
    budget = int(0.8 * sum(sizes))
    engine = Engine(budget=budget, cache=ResultCache(tmp_path / "results"))
    engine.pin((source, sensor) for source in sources)
    found = [engine.make(source, FULL, Settings(sensor=sensor)) for source in sources]
    assert engine.frames.nbytes <= budget
    assert found[0].developed.plain.nbytes < 0.3 * sizes[0]
    for frame, wanted in zip(found, expected, strict=True):
        assert np.array_equal(frame.developed.plain.codes, wanted.developed.plain.codes)


def test_mosaics_are_given_up_first_and_made_again(frames: Path) -> None:
    sensor = Settings().sensor
    first, second = FileSource(frames / "test-card.dng"), FileSource(frames / "furnace-hand-1.dng")
    whole = Engine().make(first, FULL, Settings(sensor=sensor)).developed
    assert whole.mosaic is not None
    other = Engine().make(second, FULL, Settings(sensor=sensor)).developed
    engine = Engine(budget=whole.nbytes + other.nbytes - 1)
    kept = engine.make(first, FULL, Settings(sensor=sensor))
    engine.make(second, FULL, Settings(sensor=sensor))
    found = engine.best(first, sensor)
    assert found is not None and found.developed.plain is kept.developed.plain, "the picture stays"
    assert found.developed.mosaic is None and found.developed.can_be_denoised
    again = engine.make(first, MOSAIC, Settings(sensor=sensor)).developed
    assert again.plain is kept.developed.plain and again.mosaic is not None
    np.testing.assert_array_equal(again.mosaic.data, whole.mosaic.data)
    engine.make(second, MOSAIC, Settings(sensor=sensor))
    found = engine.best(first, sensor)
    assert found is not None and found.developed.mosaic is None, "given up for the other's"
    local = engine.make(first, PART, Settings().with_value("noise.amount", 100), OutputRegion(0, 0, 64, 64))
    assert local.patches


def test_the_coarse_form_is_made_once_for_all_settings_of_the_sensor(
    frames: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = FileSource(next(frames.glob("bench*.dng")))
    engine, loads = Engine(), []
    original = source.load
    monkeypatch.setattr(source, "load", lambda progress: (loads.append(1), original(progress))[1])
    first = engine.make(source, COARSE, Settings())
    second = engine.make(source, COARSE, bare())
    assert second is first
    assert engine.best(source, bare().sensor) is first
    full = engine.make(source, FULL, bare())
    assert not full.coarse and full.developed.defects == 0
    assert engine.best(source, Settings().sensor) is first
    assert len(loads) == 1, "decoded once for all of them"


def test_the_engine_says_when_a_file_went_away(frames: Path) -> None:
    source = FileSource(frames / "test-card.dng")
    assert source.key
    (frames / "test-card.dng").unlink()
    with pytest.raises(ReadError, match="not there"):
        Engine().make(source, FULL, Settings())


def test_quick_form_shows_the_same_place(bayer: Frame) -> None:
    camera = shots.photograph("astronaut.png") * shots.NEUTRAL.astype(np.float32)
    source = shots.loaded(camera, 100)
    coarse, full = quick(source), develop(source, Settings().sensor)
    region = OutputRegion(0, 0, *full.extent, 2.0)
    a = render_view(coarse, Settings(), make_context(coarse), region)
    b = render_view(full, Settings(), make_context(full), region)
    assert (a.top, a.left, a.bottom, a.right) == (b.top, b.left, b.bottom, b.right)
    assert np.abs(a.pixels.astype(float) - b.pixels).mean() < 6


def test_stored_pixels_keep_their_precision() -> None:
    values = np.concatenate([np.linspace(-0.05, 0.05, 999), np.linspace(0.05, 3.9, 999)]).astype(np.float32)
    back = decode16(encode16(values.reshape(1, -1, 1).repeat(3, axis=2)))[0, :, 0]
    assert np.abs(back - values)[:1998].max() < 3e-4
    assert np.abs(back - values)[400:600].max() < 2e-5


def test_figures_are_those_of_all_pixels(bayer: Frame) -> None:
    settings = Settings().with_value("light.exposure", 2)
    found, picture = whole_figures(bayer.developed, settings, bayer.context)
    assert picture is None
    h, w = bayer.developed.extent
    region = OutputRegion(0, 0, h, w)
    pixels = show(
        trim(scene_patch(bayer.developed, settings, bayer.context, region), region), bayer.developed, settings
    )
    assert found.white == pytest.approx(float((pixels >= 0.9995).any(axis=2).mean()), abs=1e-4)
    assert found.histogram.counts.sum(
        axis=1
    ) + found.histogram.below + found.histogram.above == pytest.approx([1] * 4, abs=1e-4)


# jobs


def _worker() -> Worker:
    return Worker("test", lambda error: IrvaneError(f"unexpected {error}"))


def test_the_most_urgent_job_goes_first_and_a_newer_one_supersedes() -> None:
    worker, order, gate, finished = _worker(), [], threading.Event(), threading.Event()
    worker.submit("gate", lambda _p: gate.wait(5), lambda _r: None, print, 0)
    for key, urgency, value in (("a", 5, "old"), ("b", 1, "b"), ("a", 5, "new"), ("c", 9, "c")):
        worker.submit(key, lambda _p, v=value: order.append(v), lambda _r: None, print, urgency)
    worker.submit("end", lambda _p: finished.set(), lambda _r: None, print, 99)
    gate.set()
    assert finished.wait(5)
    assert order == ["b", "new", "c"]
    worker.close()


def test_a_long_job_lets_urgent_ones_through_and_can_be_cancelled() -> None:
    worker, order, started, done = _worker(), [], threading.Event(), threading.Event()

    def long(progress: object) -> None:
        started.set()
        for k in range(10_000):
            if not progress(k / 10_000):  # type: ignore[operator]
                order.append("cancelled")
                done.set()
                raise Cancelled
            threading.Event().wait(0.001)

    worker.submit("long", long, lambda _r: order.append("finished"), print, 5)
    assert started.wait(5)
    through = threading.Event()
    worker.submit("urgent", lambda _p: order.append("urgent"), lambda _r: through.set(), print, 1)
    assert through.wait(5)
    worker.cancel(lambda key: key == "long")
    assert done.wait(5)
    assert order == ["urgent", "cancelled"]
    worker.close()


def test_a_fault_fails_one_job_only() -> None:
    worker, told, good = _worker(), [], threading.Event()
    worker.submit("bad", lambda _p: 1 / 0, lambda _r: None, lambda e: told.append(str(e)), 1)
    worker.submit("good", lambda _p: None, lambda _r: good.set(), print, 2)
    assert good.wait(5)
    assert told == ["unexpected division by zero"]
    worker.close()
