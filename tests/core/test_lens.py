"""The station Lens: profiles, the file's own corrections, what is measured, fringes; all through the line.

The simulated lens (`lenses.py`) computes published formulas itself, with coefficients that are in no database.
"""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import cv2
import lensfunpy
import numpy as np
import pytest
import shots
import tifffile
from skimage.color import deltaE_ciede2000, rgb2lab

from irvane.core.files.info import FrameInfo
from irvane.core.files.opcodes import parse
from irvane.core.finish import job
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.lens import answers, bodies, profile
from irvane.core.lens.aberration import measure_aberration
from irvane.core.lens.corrections import LensFacts, corrections_of
from irvane.core.lens.falloff import measure_falloff
from irvane.core.lens.framing import geometry_of
from irvane.core.lens.fringing import fringe_hue, hue_of, remove_fringes
from irvane.core.lens.optics import BadPixels, GainGrid, Optics, RadialGain, Warp
from irvane.core.line.bands import Output, finished_bands
from irvane.core.line.camera import camera_light
from irvane.core.line.clip_flags import Limits
from irvane.core.line.context import Context, geometry_for, make_context
from irvane.core.line.develop import develop
from irvane.core.line.placing import light_given
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.line.view import render_view, scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.picture import Picture
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings, bare
from irvane.core.stations import Lens
from lenses import TestLens, centres, chart, dots

EXTENT = (800, 1200)
LENS = TestLens(a=0.021, b=-0.058, c=0.013, red=0.0011, blue=-0.0014, falloff=(-0.47, 0.11, -0.03))


@pytest.fixture
def database(monkeypatch: pytest.MonkeyPatch) -> None:
    """A lens database that holds one lens more: the simulated one."""
    made = lensfunpy.Database(xml=LENS.xml("Reference", "Test 35"))
    _forget()
    monkeypatch.setattr(bodies, "database", lambda: made)
    # what the other database said does not count, and what this one says is not kept
    monkeypatch.setattr(answers, "kept", lambda _question: (False, None))
    monkeypatch.setattr(answers, "keep", lambda _question, _answer: None)
    yield
    _forget()


def _forget() -> None:
    for cached in (
        bodies.by_name,
        bodies.camera,
        bodies.mounts,
        bodies._cameras,
        bodies._named,
        profile._camera_crop,
        profile.find_profile,
        profile.tables_of,
        corrections_of,
        geometry_of,
    ):
        cached.cache_clear()


def test_what_the_database_said_is_kept(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(answers, "_path", lambda: tmp_path / "lenses.json")

    def asked_anew() -> tuple[object, object, object]:
        answers._answers.cache_clear()
        _forget()
        lens = Optics(lens=name, focal=focal)
        return (
            profile.find_profile(lens),
            profile.find_profile(Optics(lens="nothing like it")),
            profile._camera_crop(make, model),
        )

    one, camera = bodies.database().lenses[0], bodies.database().cameras[0]
    name, focal, make, model = (
        bodies.full_name(one),
        float(one.min_focal),
        str(camera.maker),
        str(camera.model),
    )
    told = asked_anew()
    assert told[0] is not None and told[0].name == name and told[1] is None
    assert told[2] == pytest.approx(float(camera.crop_factor))

    def loaded() -> None:
        raise AssertionError("the database was loaded for what it had said before")

    monkeypatch.setattr(bodies, "database", loaded)
    assert asked_anew() == told
    (tmp_path / "lenses.json").write_text('{"database": "an older one", "answers": {}}')
    with pytest.raises(AssertionError):
        asked_anew()
    monkeypatch.undo()
    answers._answers.cache_clear()
    _forget()


def _photographed(path: Path, lens: TestLens, cfa: np.ndarray = BAYER) -> np.ndarray:
    """A chart of dots through a lens onto a sensor, written as a DNG (no noise); returns the ideal places."""
    places = dots(EXTENT)
    camera = chart(EXTENT, places, lens, 4.0) * (shots.NEUTRAL / shots.NEUTRAL.max()).astype(np.float32)
    mosaic = shots.mosaic_of(camera * 0.9, cfa)
    thumb = cv2.imencode(".jpg", np.full((48, 72, 3), 120, np.uint8))[1].tobytes()
    body = shots.Body("Reference", cfa=cfa)
    counts = np.rint(512 + mosaic.data * (16383 - 512)).astype(np.uint16)
    from irvane.core.files.dng import DngColour, write_dng

    write_dng(
        path, counts, cfa, black=512, white=16383, colour=DngColour(body.matrix_a, body.matrix_d65, shots.NEUTRAL),
        info=FrameInfo("Irvane", "Reference", "Test 35", 0.01, 4.0, 100, 35.0, shots.WHEN, 0.0),
        noise_profile=(1e-6, 1e-9), preview_jpeg=thumb, preview_shape=(48, 72),
    )  # fmt: skip
    return places


def _flat(path: Path, **lens: object) -> tuple[np.ndarray, Settings, Context]:
    settings = bare().with_values({f"lens.{name}": value for name, value in lens.items()})
    developed, context = realise(FileSource(path), settings)
    bands = [band for _, band in finished_bands(developed, settings, context, Output("srgb", True, True))]
    return np.concatenate(bands), settings, context


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["Bayer", "6×6"])
def test_a_profile_makes_a_chart_straight(tmp_path: Path, database: None, cfa: np.ndarray) -> None:
    places = _photographed(tmp_path / "chart.dng", LENS, cfa)
    before, *_ = _flat(tmp_path / "chart.dng", profile="off")
    after, settings, context = _flat(tmp_path / "chart.dng", profile="auto", aberration="auto")
    bent = LENS.seen(places, EXTENT, 1)
    assert np.nanmax(np.hypot(*(centres(before[..., 1], bent, 16) - bent).T)) < 0.4, (
        "the chart itself is measured well"
    )
    assert np.hypot(*(bent - places).T).max() > 8, "it is bent by many pixels"
    found = corrections_of(context.lens, settings.lens)
    assert found.profile is not None and found.profile.sure == "certain"
    assert found.profile.corrects == ("distortion", "vignetting", "aberration")
    h, w = EXTENT
    oh, ow = after.shape[:2]
    near = places + ((ow - w) / 2, (oh - h) / 2)  # the middle stays the middle
    off = np.hypot(*(centres(after[..., 1], near, 16) - near).T)
    assert np.isfinite(off).mean() > 0.6
    assert np.nanpercentile(off, 95) < 0.3
    # interpolation by directions draws the colours together before they are set right; linear filters do not
    for demosaic, limit in (("linear", 0.1), ("auto", 0.15)):
        own = settings.with_value("sensor.demosaic", demosaic)
        developed, _ = realise(FileSource(tmp_path / "chart.dng"), own)
        camera = camera_light(developed, own, context, OutputRegion(0, 0, oh, ow)).pixels
        red, green, blue = (centres(camera[..., c], near, 16) for c in range(3))
        for colour in (red, blue):
            assert np.nanpercentile(np.hypot(*(colour - green).T), 95) < limit, "lateral aberration"


def test_a_profile_gives_the_light_of_the_corners_back(tmp_path: Path, database: None) -> None:
    _photographed(tmp_path / "chart.dng", TestLens(falloff=LENS.falloff))
    picture, *_ = _flat(
        tmp_path / "chart.dng", profile="auto", profile_distortion=0.0, profile_aberration=0.0
    )
    grey = cv2.dilate(picture[..., 1], np.ones((31, 31)))  # the dots away
    assert np.ptp(grey[20:-20, 20:-20]) / grey.mean() < 0.02
    half, *_ = _flat(
        tmp_path / "chart.dng",
        profile="auto",
        profile_distortion=0.0,
        profile_aberration=0.0,
        profile_vignetting=50.0,
    )
    corner, middle = (float(np.median(half[s][..., 1])) for s in (np.s_[8:24, 8:24], np.s_[390:410, 560:580]))
    assert corner / middle == pytest.approx(LENS.light(np.array([[16.0, 16.0]]), EXTENT)[0] ** 0.5, rel=0.02)


def test_only_a_certain_profile_acts_by_itself(database: None) -> None:
    def facts(**known: object) -> LensFacts:
        return LensFacts(
            EXTENT, 0, True, Optics("Irvane", "Reference", "Test 35", 35.0, None, 4.0, None, **known)
        )  # type: ignore[arg-type]

    sure = corrections_of(facts(), Lens()).profile
    assert sure is not None and sure.name == "Irvane Test 35"
    assert corrections_of(replace(facts(), raw=False), Lens()).profile is None, (
        "finished pictures are left alone"
    )
    other = replace(facts(), optics=replace(facts().optics, lens="Tets 35"))
    assert corrections_of(other, Lens()).profile is None
    named = corrections_of(other, Lens(profile="Irvane Test 35")).profile
    assert named is not None and named.sure == "chosen"
    carried = facts(corrections=(Warp(((1, 0, 0, 0, 0, 0),), (0.5, 0.5)),))
    found = corrections_of(carried, Lens())
    assert found.of_file and found.profile is None, "never twice"
    assert corrections_of(carried, Lens(profile="Irvane Test 35")).of_file is False
    assert geometry_of(facts(), Lens(profile="off")).identity


def test_lenses_without_data_take_the_focal_length_by_hand() -> None:
    facts = LensFacts(EXTENT, 0, True, Optics("Irvane", "Reference"))
    lens = Lens(profile="Canon EF 24-105mm f/4L IS USM", focal=24.0)
    wide, tele = (geometry_of(facts, replace(lens, focal=f)) for f in (24.0, 105.0))
    assert wide.radial.ratios[1, 2000] < 1 - 0.01 < tele.radial.ratios[1, 2000]
    fisheye = Lens(profile="Samyang 8mm f/3.5 Fish-Eye CS")
    kept, straight = (geometry_of(facts, replace(fisheye, projection=p)) for p in ("keep", "straight"))
    # a fisheye's straight picture: r = f·tan θ grows without bound
    assert straight.radial.ratios[1, 2000] < 0.8 * kept.radial.ratios[1, 2000]


# what the file carries


def _list(*operations: tuple[int, bytes]) -> bytes:
    parts = [struct.pack(">I", len(operations))]
    parts += [struct.pack(">IIII", code, 0x01030000, 0, len(body)) + body for code, body in operations]
    return b"".join(parts)


def _with_opcodes(path: Path, tag: int, data: bytes) -> None:
    """Put an opcode list into the raw page of a DNG that holds a place for it."""
    with tifffile.TiffFile(path, mode="r+") as file:
        page = file.pages.first.pages[0]
        held = page.tags[tag]
        assert held.count >= len(data)
        held.overwrite(data + bytes(held.count - len(data)))


def test_corrections_of_a_dng_are_read() -> None:
    warp = struct.pack(">I", 1) + struct.pack(">8d", 1.0, 0.01, -0.002, 0.0, 1e-4, 2e-4, 0.5, 0.5)
    radial = struct.pack(">7d", 0.4, 0.1, 0, 0, 0, 0.5, 0.5)
    grid = struct.pack(">10I", 0, 1, 100, 100, 0, 1, 2, 2, 2, 3) + struct.pack(">4d", 1.0, 0.5, 0, 0)
    grid += struct.pack(">I", 1) + struct.pack(">6f", 1, 1, 1, 2, 2, 2)
    bad = struct.pack(">III", 0, 1, 1) + struct.pack(">2I", 7, 9) + struct.pack(">4I", 1, 2, 3, 4)
    found, skipped = parse(_list((1, warp), (3, radial), (9, grid), (5, bad), (8, b"1234")), BAYER)
    assert found[0] == Warp(((1.0, 0.01, -0.002, 0.0, 1e-4, 2e-4),), (0.5, 0.5))
    assert found[1] == RadialGain((0.4, 0.1, 0, 0, 0), (0.5, 0.5))
    assert found[2] == GainGrid((1,), (2, 3), (1.0, 0.5), (0.0, 0.0), (1, 1, 1, 2, 2, 2))
    assert found[3] == BadPixels(((7, 9),), ((1, 2, 3, 4),))
    assert skipped == ["MapPolynomial"]
    with pytest.raises((ValueError, struct.error)):
        parse(_list((1, warp))[:40], None)


def test_a_warp_in_the_file_makes_a_chart_straight() -> None:
    """The DNG specification's own formula, worked out here beside it."""
    k = (1.0, -0.06, 0.011, 0.0, 6e-4, -4e-4)
    facts = LensFacts(EXTENT, 0, True, Optics(corrections=(Warp((k,), (0.5, 0.5)),)))
    geometry = geometry_of(facts, Lens(edges="keep", aberration="off"))
    h, w = EXTENT
    places = dots(EXTENT)
    m = np.hypot(w / 2, h / 2)
    dx, dy = ((places - (w / 2, h / 2)) / m).T
    r2 = dx**2 + dy**2
    f = k[0] + k[1] * r2 + k[2] * r2**2 + k[3] * r2**3
    expected = np.column_stack(
        [
            w / 2 + m * (dx * f + k[4] * 2 * dx * dy + k[5] * (r2 + 2 * dx**2)),
            h / 2 + m * (dy * f + k[5] * 2 * dx * dy + k[4] * (r2 + 2 * dy**2)),
        ]
    )
    np.testing.assert_allclose(geometry.to_frame(places), expected, atol=0.01)


def test_gains_of_the_file_and_bad_pixels_are_applied(tmp_path: Path) -> None:
    light = np.full((64, 96, 3), 0.3, np.float32)
    loaded = shots.loaded(light * shots.NEUTRAL.astype(np.float32))
    loaded.mosaic.data[20, 30] = 0.0  # type: ignore[union-attr]
    grid = GainGrid((0, 1, 2), (2, 2), (1.0, 1.0), (0.0, 0.0), (1.0, 1.0, 2.0, 2.0))
    optics = Optics(corrections=(BadPixels(((20, 30),)), grid, RadialGain((0.5, 0, 0, 0, 0), (0.5, 0.5))))
    loaded = replace(loaded, optics=optics)
    sensor = Settings().sensor
    developed = develop(loaded, sensor)
    context = make_context(developed)
    settings = bare().with_values({"lens.profile": "auto", "sensor.defects": "on"})
    whole = np.concatenate(
        [b for _, b in finished_bands(developed, settings, context, Output("srgb", True, True))]
    )
    rows = whole[:, 48, 1]
    assert rows[-2] / rows[2] == pytest.approx(1.95, rel=0.05), "between the points of the grid"
    assert whole[32, 93, 1] / whole[32, 48, 1] == pytest.approx(
        1 + 0.5 * (45 / np.hypot(48, 32)) ** 2, rel=0.03
    )
    raised = light_given(context.lens, settings.lens)  # and the noise with it
    assert raised is not None
    at = raised[:, raised.shape[1] // 2]
    assert at[-1] / at[0] == pytest.approx(1.97, rel=0.02), "gains of both ends of the grid"
    assert abs(developed.plain.read_all()[20, 30] / developed.plain.read_all()[20, 40] - 1).max() < 0.2


# what is measured


def _aberrated(light: np.ndarray, red: float, blue: float, cfa: np.ndarray, noise: float = 0.004) -> Mosaic:
    """A camera-linear picture whose red and blue are larger by these pixels in the corner, sampled with noise."""
    h, w = light.shape[:2]
    half = np.hypot(h, w) / 2
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    dx, dy = x + 0.5 - w / 2, y + 0.5 - h / 2
    planes = []
    for c, shift in enumerate((red, 0.0, blue)):
        s = 1 / (1 + shift / half)
        maps = (dx * s + w / 2 - 0.5).astype(np.float32), (dy * s + h / 2 - 0.5).astype(np.float32)
        planes.append(cv2.remap(light[..., c], *maps, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT))
    mosaic = shots.mosaic_of(np.stack(planes, axis=2), cfa)
    rng = np.random.default_rng(2)
    return Mosaic((mosaic.data + noise * rng.normal(size=mosaic.data.shape)).astype(np.float32), cfa)


def _toned(name: str) -> np.ndarray:
    """A photograph whose colours have the same contours: its luminance in a warm tone."""
    photo = shots.photograph(name, reduced=False)
    grey = cv2.resize(photo.mean(axis=2), None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC)
    return np.clip(grey[..., None] * np.array([0.9, 0.8, 0.5], np.float32), 0, 0.9).astype(np.float32)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["Bayer", "6×6"])
def test_lateral_aberration_is_measured_on_contours(cfa: np.ndarray) -> None:
    light = _toned("astronaut.png")
    still = measure_aberration(_aberrated(light, 0.0, 0.0, cfa))
    assert still is not None and max(map(abs, still.corner)) < 0.05 and not still.sure
    found = measure_aberration(_aberrated(light, 1.2, -1.6, cfa))
    assert found is not None and found.sure
    assert found.corner == pytest.approx((1.2, -1.6), abs=0.2)
    assert measure_aberration(Mosaic(np.full((600, 900), 0.3, np.float32), cfa)) is None, (
        "nothing to measure on"
    )


def test_light_lost_in_the_corners_is_measured() -> None:
    rng = np.random.default_rng(0)
    grey = (
        cv2.resize(rng.random((40, 60)).astype(np.float32), (900, 600), interpolation=cv2.INTER_CUBIC) * 0.4
        + 0.2
    )
    scene = np.repeat(grey[..., None], 3, axis=2)
    h, w = scene.shape[:2]
    y, x = np.mgrid[0:h, 0:w]
    r2 = ((x - w / 2) ** 2 + (y - h / 2) ** 2) / ((h * h + w * w) / 4)
    plain = measure_falloff(scene)
    assert plain.corner < 0.15 and not plain.sure
    dark = measure_falloff((scene * np.exp2(-1.2 * r2)[..., None]).astype(np.float32))
    assert dark.sure and dark.corner == pytest.approx(1.2, abs=0.2)
    assert not measure_falloff(shots.photograph("coffee.png", reduced=False)).sure, (
        "a scene of its own slopes"
    )


def test_fringes_go_and_coloured_things_stay() -> None:
    """Dark branches before a clipped sky with violet rims; a violet flower elsewhere, and one before the sky."""
    h, w = 240, 320
    rng = np.random.default_rng(3)
    sharp = np.full((h, w, 3), 0.05, np.float32) * (1 + 0.1 * rng.normal(size=(h, w, 1)).astype(np.float32))
    sky = np.zeros((h, w), np.float32)
    sky[:130, :] = 1
    for x in range(20, 300, 40):
        cv2.line(sky, (x, 0), (x + 15, 130), 0, 6)
    sharp += sky[..., None] * 1.3
    violet = np.array([0.16, 0.06, 0.30], np.float32)
    sharp[180:220, 40:140] = violet
    sharp[100:150, 250:300] = violet
    fringed = sharp.copy()
    glow = cv2.GaussianBlur(sky, (0, 0), 2.0) * (1 - sky)
    fringed += glow[..., None] * np.array([0.10, 0.0, 0.22], np.float32)
    fringed = np.minimum(fringed, 1)
    plain = np.minimum(sharp, 1)
    clipped = (fringed.max(axis=2) >= 1).astype(np.uint8)
    hue = fringe_hue(Picture(fringed, exact=True), clipped, np.ones(3))
    assert abs(hue - float(hue_of(np.array([[0.10, 0.0, 0.22]]))[0])) < 25, "it is found"
    calm = remove_fringes(fringed, np.ones(3), 1.0, hue, 1.0)

    def chroma(picture: np.ndarray) -> np.ndarray:
        return picture - picture.mean(axis=2, keepdims=True)

    beside = (glow > 0.05) & (plain.max(axis=2) < 0.5)
    beside[95:155, 245:305] = False
    before, after = (np.square(chroma(p) - chroma(plain))[beside].sum() for p in (fringed, calm))
    assert after < 0.2 * before
    far = cv2.dilate(sky, np.ones((19, 19))) == 0
    lab = [rgb2lab(np.clip(p, 0, 1) ** (1 / 2.2)) for p in (fringed, calm)]
    assert deltaE_ciede2000(*lab)[far].max() <= 0.3
    inner = np.s_[112:140, 262:290]  # the flower before the sky keeps its colour
    assert deltaE_ciede2000(lab[0][inner], lab[1][inner]).mean() < 2.0
    green = remove_fringes(fringed, np.ones(3), 1.0, 120.0, 1.0)
    assert np.square(chroma(green) - chroma(plain))[beside].sum() > 0.8 * before, "another hue is left"
    assert remove_fringes(fringed, np.ones(3), 0.0, hue, 1.0) is fringed


# seen and written

BENT = {
    "lens.straighten": 4.0, "lens.distortion": 3.0, "lens.vertical": 4.0, "lens.vignetting": 0.8, "lens.falloff": "frame",
    "lens.aberration": "measured", "lens.fringing": 60, "light.shadows": 1.5, "light.local_small": 30, "acutance.fine": 50,
    "noise.fine": 70,
}  # fmt: skip


@pytest.mark.parametrize("orientation", [1, 3, 6, 8])
@pytest.mark.parametrize("six", [False, True], ids=["Bayer", "6×6"])
def test_what_is_seen_is_what_is_written(tmp_path: Path, orientation: int, six: bool) -> None:
    path = tmp_path / "frame.dng"
    light = cv2.resize(shots.photograph("coffee.png"), (900, 600), interpolation=cv2.INTER_CUBIC)
    shots.dng(path, np.maximum(light, 0), iso=1600, six=six, orientation=orientation)
    for more in ({}, {"lens.turn": "90", "lens.mirror": "on", "lens.crop": (20.0, 10.0, 60.0, 70.0)}):
        settings = Settings().with_values({**BENT, **more, "noise.method": "fast"})
        developed, context = realise(FileSource(path), settings)
        written = job.assemble(developed, settings, context, Output(), 32)
        h, w = geometry_for(settings, context).output
        assert written.shape == (h, w, 3)
        region = OutputRegion(h // 3, w // 4, h // 3 + 150, w // 4 + 170)
        seen = render_view(developed, settings, context, region).pixels[..., :3]
        part = written[region.top : region.bottom, region.left : region.right]
        assert np.abs(seen / 255.0 - part).max() < 0.5 / 255 + 3e-4
        wider = OutputRegion(region.top - 37, region.left - 21, region.bottom + 40, region.right + 11)
        light = [
            trim(scene_patch(developed, settings, context, place), region).pixels for place in (region, wider)
        ]
        assert np.abs(light[0] - light[1]).max() < 1e-4


@pytest.mark.parametrize(
    "bent",
    [{"lens.straighten": 4.0}, {"lens.distortion": -5.0}, {"lens.vertical": 8.0, "lens.horizontal": -5.0},
     {"lens.straighten": 3.0, "lens.crop": (20.0, 10.0, 60.0, 70.0), "lens.turn": "270"}, {"lens.aberration": "measured"},
     {"lens.straighten": -6.0, "light.shadows": 2.0, "light.local_large": 40, "acutance.fine": 60}],
    ids=["straighten", "distortion", "upright", "crop", "aberration", "light"],
)  # fmt: skip
def test_the_fitted_view_is_the_reduced_file(tmp_path: Path, bent: dict[str, object]) -> None:
    path = tmp_path / "frame.dng"
    light = cv2.resize(shots.photograph("coffee.png"), (900, 600), interpolation=cv2.INTER_CUBIC)
    shots.dng(path, np.maximum(light, 0), iso=400)
    settings = Settings().with_values({"lens.aberration": "off", **bent, "noise.amount": 0})
    developed, context = realise(FileSource(path), settings)
    written = job.assemble(developed, settings, context, Output(), 32)
    h, w = (side // 2 * 2 for side in written.shape[:2])
    view = render_view(developed, settings, context, OutputRegion(0, 0, h, w, 2.0)).pixels
    whole = view[..., :3] / 255.0
    small = cv2.resize(written[:h, :w], (whole.shape[1], whole.shape[0]), interpolation=cv2.INTER_AREA)
    off = deltaE_ciede2000(rgb2lab(whole), rgb2lab(np.clip(small, 0, 1)))[4:-4, 4:-4]
    assert off.mean() < 0.5 and np.percentile(off, 99) < 2


def test_marks_probe_and_file_agree_on_a_place(tmp_path: Path) -> None:
    """A clipped spot on a bent frame: where it is hatched, where it is measured and where it is written."""
    light = np.full((500, 700, 3), 0.05, np.float32)
    y, x = np.mgrid[0:500, 0:700]
    light += (8.0 * np.exp(-((x - 520.3) ** 2 + (y - 130.7) ** 2) / (2 * 4.0**2)))[..., None].astype(
        np.float32
    )
    path = tmp_path / "spot.dng"
    shots.dng(path, light)
    settings = bare().with_values(
        {"lens.straighten": 6.0, "lens.distortion": 5.0, "lens.crop": (20.0, 5.0, 75.0, 70.0)}
    )
    developed, context = realise(FileSource(path), settings)
    geometry = geometry_for(settings, context)
    expected = geometry.to_output(np.array([[520.8, 131.2]]))[0]
    written = job.assemble(developed, settings, context, Output("srgb", True), 32)[..., 1]
    h, w = geometry.output
    seen = render_view(developed, settings, context, OutputRegion(0, 0, h, w), marks=Limits())
    jj, ii = np.mgrid[0:h, 0:w] + 0.5

    def middle(weight: np.ndarray) -> np.ndarray:
        return np.array([(weight * ii).sum(), (weight * jj).sum()]) / weight.sum()

    light_at = middle(np.where(written > 0.5 * written.max(), written - 0.5 * written.max(), 0.0))
    marked_at = middle((seen.marks & 7 > 0).astype(float))
    rows, columns = np.nonzero(developed.clipped)
    clipped_at = geometry.to_output(np.array([[columns.mean() + 0.5, rows.mean() + 0.5]]))[0]
    np.testing.assert_allclose(light_at, expected, atol=0.1)
    np.testing.assert_allclose(marked_at, clipped_at, atol=0.1)
    region = OutputRegion(
        *(round(v) for v in (expected[1] - 16, expected[0] - 16, expected[1] + 16, expected[0] + 16))
    )
    place = geometry.place_of(region)
    assert (
        abs((place.left + place.right) / 2 - 520.8) < 1.1
        and abs((place.top + place.bottom) / 2 - 131.2) < 1.1
    )
