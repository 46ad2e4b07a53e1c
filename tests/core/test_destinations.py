"""Destinations: sizes, names, formats that other libraries read, metadata that is kept or left out, linear DNG."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from pathlib import Path

import cv2
import exiv2
import imagecodecs
import numpy as np
import OpenEXR
import pytest
import rawpy
import shots
import tifffile
from PIL import Image, ImageCms
from skimage.transform import resize as reference_resize

from irvane.core.errors import SettingError, WriteError
from irvane.core.files.info import FrameInfo
from irvane.core.finish import destination as kinds
from irvane.core.finish import job
from irvane.core.finish.destination import (
    SHIPPED,
    Destination,
    checked,
    destinations,
    named,
    remove_destination,
    save_destination,
)
from irvane.core.finish.medium import sharpen_for
from irvane.core.finish.naming import Named, file_name, free_path
from irvane.core.finish.reading_back import Witness, read_back
from irvane.core.finish.size import Size, enlarged_to
from irvane.core.lens.corrections import corrections_of
from irvane.core.line.bands import Output, finished_bands
from irvane.core.line.context import geometry_for
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.resizing import resized
from irvane.core.settings import Settings


@pytest.fixture(scope="module")
def developed(tmp_path_factory: pytest.TempPathFactory):  # type: ignore[no-untyped-def]
    path = tmp_path_factory.mktemp("in") / "frame.dng"
    shots.dng(path, shots.photograph("astronaut.png"), iso=800)
    settings = Settings().with_values({"noise.method": "fast", "lens.aberration": "off"})
    return FileSource(path), settings, realise(FileSource(path), settings)


def _written(developed, tmp_path: Path, how: Destination) -> Path:  # type: ignore[no-untyped-def]
    source, settings, ready = developed
    path = tmp_path / f"{how.name}{how.ending}"
    job.run(source, settings, job.Target(path, how=checked(vars(how))), ready=ready)
    return path


@pytest.mark.parametrize(
    ("text", "extent", "ppi", "expected"),
    [("full", (400, 600), 300, (400, 600)), ("300", (400, 600), 300, (200, 300)), ("9000", (400, 600), 300, (400, 600)),
     ("240x120", (400, 600), 300, (120, 180)), ("240x120", (600, 400), 300, (180, 120)), ("50%", (401, 601), 300, (200, 300)),
     ("2.54x1.27cm", (400, 600), 100, (50, 75)), ("1x0,5in", (400, 600), 100, (50, 75))],
)  # fmt: skip
def test_sizes(text: str, extent: tuple[int, int], ppi: int, expected: tuple[int, int]) -> None:
    size = Size.parse(text)
    assert size.of(extent, ppi) == expected
    assert Size.parse(size.words()) == size


@pytest.mark.parametrize("text", ["big", "0", "-3", "10x", "x", "12cm", "1x2x3", "in", "nan", "1e9"])
def test_sizes_that_are_none(text: str) -> None:
    with pytest.raises(SettingError):
        Size.parse(text)


def test_resizing_in_bands_is_that_of_the_whole_and_near_a_known_one() -> None:
    photo = shots.photograph("astronaut.png", reduced=False)[:500, :470]
    after = (211, 163)
    whole = np.concatenate(list(resized([photo], photo.shape[:2], after)))
    bands = np.concatenate(
        list(resized([photo[k : k + 64] for k in range(0, 500, 64)], photo.shape[:2], after))
    )
    assert whole.shape == (*after, 3)
    np.testing.assert_allclose(bands, whole, atol=1e-6)
    reference = reference_resize(photo, after, order=1, anti_aliasing=True)
    assert np.abs(whole - reference)[4:-4, 4:-4].mean() < 0.02
    flat = np.concatenate(list(resized([np.full((90, 120, 3), 0.37, np.float32)], (90, 120), (31, 40))))
    np.testing.assert_allclose(flat, 0.37, atol=1e-6)


def test_paper_is_sharpened_more_than_screens_and_edges_stay_in_bounds() -> None:
    photo = np.clip(shots.photograph("astronaut.png"), 0, 1)
    detail = [
        float(np.abs(np.diff(sharpen_for(photo, m, 300, "srgb"), axis=1)).mean())
        for m in ("none", "screen", "coated", "uncoated")
    ]
    assert detail == sorted(detail) and detail[0] < detail[1]
    step = np.full((40, 40, 3), 0.2, np.float32)
    step[:, 20:] = 0.7
    sharp = sharpen_for(step, "uncoated", 300, "srgb")
    assert sharp.max() < 0.75 and sharp.min() > 0.17


def test_names_from_patterns() -> None:
    info = FrameInfo(model="Body/A", iso=6400, taken=datetime(2026, 3, 4, 10, 20, 30))
    one = Named(Path("/in/frame 1.dng"), "soft", 7, info, "web")
    assert file_name("{date}_{name}-{proof}-{n:3}", one, ".jpg") == "2026-03-04_frame 1-soft-007.jpg"
    assert file_name("{camera} {iso} {destination}", one, ".tif") == "Body-A 6400 web.tif"
    # what other systems do not take: reserved signs and device names of Windows, names above 255 bytes
    for given, wanted in (
        ("näm'e $x.v2", "näm'e $x.v2"), ("a:b*c?", "a-b-c"), ("con", "con_"), ("LPT1.old", "LPT1.old_"), ("x. ", "x"),
        ("\udcff1", "1"), ("木" * 200, "木" * 66),
    ):  # fmt: skip
        assert file_name("{name}", replace(one, frame=Path(given + ".dng")), "") == wanted
    for pattern in ("{nope}", "{name", "", "..."):
        with pytest.raises(SettingError):
            file_name(pattern, one, ".tif")


def test_free_names(tmp_path: Path) -> None:
    (tmp_path / "a.tif").touch()
    assert free_path(tmp_path, "a.tif").name == "a-2.tif"
    assert free_path(tmp_path, "a.tif", {tmp_path / "a-2.tif"}).name == "a-3.tif"


def test_destinations_are_kept_changed_and_removed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kinds, "destinations_folder", lambda: tmp_path)
    assert [d.name for d in destinations()] == [d.name for d in SHIPPED]
    save_destination(replace(SHIPPED[2], quality=70))
    assert named("WEB").quality == 70 and len(destinations()) == len(SHIPPED)
    (tmp_path / "broken.json").write_text("{")
    assert named("web").quality == 70, "one that is broken does not take the others away"
    remove_destination("web")
    assert named("web") == SHIPPED[2]
    for wrong in (
        {"name": ""},
        {"name": "x", "format": "gif"},
        {"name": "x", "depth": 12},
        {"name": "x", "size": "big"},
        {"nope": 1},
    ):
        with pytest.raises(SettingError):
            checked(wrong)


@pytest.mark.parametrize("space", ["srgb", "p3", "adobe-rgb"])
def test_png_and_small_tiff_are_read_by_others_with_equal_pixels(
    developed, tmp_path: Path, space: str
) -> None:  # type: ignore[no-untyped-def]
    source, settings, ready = developed
    expected = job.assemble(ready[0], settings, ready[1], Output(space), 16)
    png = _written(
        developed, tmp_path, Destination("x", "png", 16, space=space, author="A. Nobody", rights="kept")
    )
    np.testing.assert_array_equal(cv2.imread(str(png), cv2.IMREAD_UNCHANGED)[..., ::-1], expected)
    np.testing.assert_array_equal(imagecodecs.png_decode(png.read_bytes()), expected)
    image = Image.open(png)
    assert ImageCms.ImageCmsProfile(
        ImageCms.getOpenProfile(__import__("io").BytesIO(image.info["icc_profile"])).profile
    )
    assert round(image.info["dpi"][0]) == 300
    data = exiv2.ImageFactory.open(str(png))
    data.readMetadata()
    assert data.exifData()["Exif.Image.Artist"].toString() == "A. Nobody"
    tiff = _written(developed, tmp_path, Destination("y", "tiff", 16, True, space))
    np.testing.assert_array_equal(tifffile.imread(tiff), expected)
    np.testing.assert_array_equal(cv2.imread(str(tiff), cv2.IMREAD_UNCHANGED)[..., ::-1], expected)
    assert tiff.stat().st_size < expected.nbytes
    (tmp_path / "small").mkdir()
    small = _written(developed, tmp_path / "small", Destination("z", "tiff", 32, True, space, size="100"))
    assert max(tifffile.imread(small).shape) == 100
    side = expected.shape[0]
    wide = Destination("w", "tiff", 16, True, space, size=str(2 * side), grow=True)
    twice = _written(
        (source, settings.with_value("finish.enlarge", "2"), ready),
        tmp_path,
        Destination("t", "tiff", 16, True, space),
    )
    np.testing.assert_array_equal(
        tifffile.imread(_written(developed, tmp_path, wide)), tifffile.imread(twice)
    )


def test_a_print_may_be_larger_than_its_picture() -> None:
    """30 × 20 cm at 300 pixels per inch: 3543 × 2362 pixels, by arithmetic."""
    paper, of = Size.parse("30x20cm"), (1600, 2400)
    assert enlarged_to(of, "1", paper, 300, False) == ("1", of)
    assert enlarged_to(of, "1", paper, 300, True) == ("1.5", (2362, 3543))
    assert enlarged_to(of, "2", paper, 300, True) == ("2", (2362, 3543)), "the proof's own is the least"
    assert enlarged_to((800, 1200), "1", paper, 300, True) == ("4", (2362, 3543))
    assert enlarged_to((400, 600), "1", paper, 300, True) == ("4", (1600, 2400)), "no more than four times"
    assert enlarged_to((3200, 4800), "1", paper, 300, True) == ("1", (2362, 3543))
    assert enlarged_to((801, 1203), "1", Size.parse("2406"), 300, True)[0] == "2"
    assert enlarged_to((803, 1201), "1", Size.parse("2403"), 300, True)[0] == "2", (
        "one pixel of rounding is no next factor"
    )
    assert enlarged_to((1600, 2400), "1", Size.parse("150%"), 300, True)[0] == "1.5"


def test_half_float_jxl_and_avif_hold_the_picture(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    _, settings, ready = developed
    linear = job.assemble(ready[0], settings, ready[1], Output("rec2020", True), 32)
    exr = _written(developed, tmp_path, Destination("x", "exr", 17, space="rec2020"))
    with OpenEXR.File(str(exr)) as file:
        held = file.channels()["RGB"].pixels
    assert held.dtype == np.float16
    np.testing.assert_allclose(held.astype(np.float32), linear, rtol=2e-3, atol=1e-4)
    shown = job.assemble(ready[0], settings, ready[1], Output("srgb"), 8).astype(float)
    jxl = imagecodecs.jpegxl_decode(_written(developed, tmp_path, Destination("y", "jxl", 8)).read_bytes())
    assert np.abs(jxl.astype(float) - shown).mean() < 4
    avif = imagecodecs.avif_decode(_written(developed, tmp_path, Destination("z", "avif", 10)).read_bytes())
    assert np.abs(avif.astype(float) / 1023 * 255 - shown).mean() < 5


def test_places_and_serial_numbers_stay_at_home(tmp_path: Path) -> None:
    path = tmp_path / "frame.dng"
    shots.dng(path, shots.photograph())
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    data = image.exifData()
    data["Exif.GPSInfo.GPSLatitudeRef"] = exiv2.AsciiValue("N")
    data["Exif.Photo.BodySerialNumber"] = exiv2.AsciiValue("12345")
    image.writeMetadata()
    settings = Settings().with_values({"noise.amount": 0, "lens.aberration": "off"})
    keys = {}
    for what in ("all", "no-places", "none"):
        out = tmp_path / f"{what}.jpg"
        job.run(FileSource(path), settings, job.Target(out, how=Destination("x", "jpeg", 8, metadata=what)))
        written = exiv2.ImageFactory.open(str(out))
        written.readMetadata()
        keys[what] = {str(one.key()) for one in written.exifData()}
    assert {"Exif.GPSInfo.GPSLatitudeRef", "Exif.Photo.BodySerialNumber", "Exif.Photo.FNumber"} <= keys["all"]
    assert "Exif.Photo.FNumber" in keys["no-places"]
    assert not {k for k in keys["no-places"] if "GPS" in k or "Serial" in k}
    assert "Exif.Photo.FNumber" not in keys["none"] and "Exif.Image.ImageDescription" not in keys["none"]


def test_linear_dng_is_as_bright_and_coloured_as_its_raw_for_libraw(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    source, _settings, _ready = developed
    settings = Settings().with_values(
        {"noise.amount": 0, "lens.aberration": "off", "sensor.highlights": "clip"}
    )
    path = tmp_path / "out.dng"
    written = job.run(source, settings, job.Target(path, how=SHIPPED[3]))
    assert "demosaicing" in " ".join(written.notes)

    def rendered(file: Path) -> np.ndarray:
        with rawpy.imread(str(file)) as raw:
            return raw.postprocess(
                gamma=(1, 1), no_auto_bright=True, output_bps=16, adjust_maximum_thr=0, use_camera_wb=True,
            ).astype(np.float32)  # fmt: skip

    one, two = rendered(source.path), rendered(path)
    small = [cv2.resize(p[8:-8, 8:-8], (9, 6), interpolation=cv2.INTER_AREA) for p in (one, two)]
    bright = small[0].min(axis=2) > 1200
    off = np.log2(small[1][bright] / small[0][bright])
    assert abs(off.mean()) < 0.02 and np.abs(off).mean() < 0.02
    again = FileSource(path).load()
    assert again.entry == "camera" and again.info.lens == source.info.lens
    png = tmp_path / "p.png"
    cv2.imwrite(str(png), np.full((60, 90, 3), 90, np.uint8))
    with pytest.raises(WriteError, match="no camera light"):
        job.run(FileSource(png), settings, job.Target(tmp_path / "no.dng", how=SHIPPED[3]))


def test_lens_corrections_in_a_linear_dng_are_not_made_twice(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    source, settings, _ = developed
    path = tmp_path / "bent.dng"
    bent = settings.with_values({"lens.straighten": 3.0, "lens.distortion": 4.0})
    job.run(source, bent, job.Target(path, how=SHIPPED[3]))
    again, context = realise(FileSource(path), Settings())
    assert corrections_of(context.lens, Settings().lens).of_file
    assert geometry_for(Settings(), context).identity and again.extent == again.plain.shape


@pytest.mark.parametrize(
    "how",
    [
        Destination("a", "tiff", 16, True), Destination("b", "tiff", 8, size="60"), Destination("c", "png", 16),
        Destination("d", "exr", 32), Destination("e", "exr", 17), Destination("f", "jpeg", 8, quality=70),
        Destination("g", "jxl", 16, quality=80), Destination("h", "avif", 10, quality=80), Destination("i", "dng", 16),
        Destination("j", "dng", 32),
    ],
    ids=lambda how: f"{how.format}{how.depth}",
)  # fmt: skip
def test_what_was_written_is_read_back_and_compared(developed, tmp_path: Path, how: Destination) -> None:  # type: ignore[no-untyped-def]
    source, settings, ready = developed
    path = tmp_path / f"out{how.ending}"
    written = job.run(source, settings, job.Target(path, how=replace(how, read_back=True)), ready=ready)
    assert "Read back" in written.notes[-1]
    exact = how.format in ("tiff", "png", "dng") or how.depth == 32
    assert ("every pixel" in written.notes[-1]) == exact


def test_reading_back_finds_what_is_wrong(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    source, settings, ready = developed
    how = Destination("x", "tiff", 16)
    path = tmp_path / "out.tif"
    job.run(source, settings, job.Target(path, how=how), ready=ready)
    witness = Witness()
    pixels = tifffile.imread(path)
    list(witness.watch(iter([pixels])))
    assert "every pixel" in read_back(path, how, witness)
    pixels[5, 5, 1] ^= 1
    tifffile.imwrite(path, pixels, photometric="rgb")
    with pytest.raises(WriteError, match="not what was written"):
        read_back(path, how, witness)
    path.write_bytes(path.read_bytes()[:200])
    with pytest.raises(WriteError):
        read_back(path, how, witness)


def test_contact_and_credit_are_written_as_the_iptc_standard_says(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    told = {
        "author": "Ines Aru",
        "rights": "© Aru",
        "credit": "Aru / Works",
        "email": "ines@example.org",
        "web": "https://example.org",
    }
    for kind, depth in (("jpeg", 8), ("tiff", 16), ("png", 16)):
        path = _written(developed, tmp_path, Destination("contact", kind, depth, **told))
        image = exiv2.ImageFactory.open(str(path))
        image.readMetadata()
        packet = {str(one.key()): one.toString() for one in image.xmpData()}
        # property names of the IPTC Photo Metadata Standard 2022.1, from memory
        assert packet["Xmp.photoshop.Credit"] == "Aru / Works"
        assert packet["Xmp.iptc.CreatorContactInfo/Iptc4xmpCore:CiEmailWork"] == "ines@example.org"
        assert packet["Xmp.iptc.CreatorContactInfo/Iptc4xmpCore:CiUrlWork"] == "https://example.org"
        assert "Ines Aru" in packet["Xmp.dc.creator"] and "© Aru" in packet["Xmp.dc.rights"]


def test_what_is_left_to_do_goes_along_with_a_linear_dng(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    source, settings, ready = developed
    bent = settings.with_values(
        {"lens.distortion": 4.0, "lens.vignetting": 0.8, "lens.crop": (0, 0, 100, 100), "lens.edges": "keep"}
    )
    path = tmp_path / "open.dng"
    written = job.run(
        source, bent, job.Target(path, how=Destination("x", "dng", lens_done=False)), ready=ready
    )
    assert "go along" in " ".join(written.notes)
    own = settings.with_values({"lens.crop": (0, 0, 100, 100), "lens.edges": "keep"})
    one, two = (realise(*given) for given in ((source, bent), (FileSource(path), own)))
    shapes = [geometry_for(s, c) for s, (_, c) in ((bent, one), (own, two))]
    h, w = ready[0].extent
    places = np.array([(0.1 * w, 0.1 * h), (0.5 * w, 0.5 * h), (0.93 * w, 0.4 * h), (0.98 * w, 0.98 * h)])
    moved = [shape.to_frame(places) for shape in shapes]
    assert np.abs(moved[0] - places).max() > 0.5, "it does bend"
    np.testing.assert_allclose(moved[1], moved[0], atol=0.1)
    light = [
        np.concatenate([b for _, b in finished_bands(made[0], s, made[1], Output("srgb", True, True))])
        for made, s in ((one, bent), (two, own))
    ]
    corner = [part[8:24, 8:24].mean() for part in light]
    assert corner[1] / corner[0] == pytest.approx(1, rel=0.02)


def test_float_dng_holds_light_above_the_clip_for_other_readers(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    path = _written(developed, tmp_path, Destination("float", "dng", 32))
    with tifffile.TiffFile(path) as file:  # a reader that knows nothing of ours
        page = file.pages.first.pages[0]
        light = page.asarray()
        assert light.dtype == np.float32 and page.tags[50717].value == (1, 1, 1)
    whole = _written(developed, tmp_path, Destination("whole", "dng", 16))
    with rawpy.imread(str(whole)) as raw:
        counts = raw.raw_image_visible[..., :3] / 65535
    np.testing.assert_allclose(np.clip(light, 0, 1), counts, atol=1.01 / 65535)
    assert FileSource(path).load().entry == "camera"
    np.testing.assert_allclose(FileSource(path).load().picture, light, atol=1e-5)


def test_radiance_holds_the_light_that_openexr_holds(developed, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    source, settings, ready = developed
    own = settings.with_value("finish.space", "srgb")
    for name in ("a.hdr", "a.exr"):
        job.run(source, own, job.Target(tmp_path / name, Output("srgb")), ready=ready)
    radiance = cv2.imread(str(tmp_path / "a.hdr"), cv2.IMREAD_UNCHANGED)[
        ..., ::-1
    ]  # OpenCV's reader of the format
    with OpenEXR.File(str(tmp_path / "a.exr")) as file:
        light = np.maximum(file.channels()["RGB"].pixels, 0)
    # eight bits of mantissa for the largest colour (Ward 1991)
    assert (np.abs(radiance - light) <= light.max(axis=2, keepdims=True) / 128 + 1e-6).all()
