"""Metadata go through to every format, by the policy; read back by exiv2 and by Pillow."""

from __future__ import annotations

from pathlib import Path

import exiv2
import numpy as np
import pytest
import shots
from PIL import Image

from irvane.core.files.carrying import POLICIES, Kept, wanted
from irvane.core.files.info import changed_metadata, open_metadata, read_info
from irvane.core.files.writers import Bands, write_jpeg
from irvane.core.finish.destination import Destination
from irvane.core.finish.job import Target, run
from irvane.core.finish.writing import DTYPES, Told, write_picture
from irvane.core.line.source import FileSource
from irvane.core.settings import Settings

FORMATS = {
    "tiff": (16, ".tif"),
    "jpeg": (8, ".jpg"),
    "png": (16, ".png"),
    "jxl": (16, ".jxl"),
    "avif": (10, ".avif"),
}
PIXELS = np.linspace(0, 1, 48 * 64 * 3, dtype=np.float32).reshape(48, 64, 3)


@pytest.fixture
def source(tmp_path: Path) -> Path:
    """A JPEG with Exif, XMP and IPTC, a place, serial numbers, captions, and another program's settings."""
    path = tmp_path / "source.jpg"
    write_jpeg(path, np.full((64, 96, 3), 90, np.uint8), space="srgb", quality=90)
    with changed_metadata(path) as image:
        data, packet, iptc = image.exifData(), image.xmpData(), image.iptcData()
        data["Exif.Image.Make"], data["Exif.Image.Model"] = "Nordlys", "Reference"
        data["Exif.Image.Orientation"] = exiv2.UShortValue(6)
        data["Exif.Image.ImageDescription"] = "Blowing the first bubble"
        data["Exif.Photo.ExposureTime"] = exiv2.URationalValue((1, 60))
        data["Exif.Photo.BodySerialNumber"] = "B-4711"
        data["Exif.Photo.SubjectDistance"] = exiv2.URationalValue((25, 10))
        packet["Xmp.dc.coverage"] = "Fjordby"
        data["Exif.Photo.SubjectArea"] = exiv2.UShortValue(12)
        data["Exif.GPSInfo.GPSLatitudeRef"] = "N"
        packet["Xmp.xmp.Rating"] = "4"
        packet["Xmp.dc.subject"] = ["glass", "furnace"]
        packet["Xmp.dc.rights"] = "© Ida Solheim"
        packet["Xmp.photoshop.City"] = "Fjordby"
        exiv2.XmpProperties.registerNs("http://example.org/other/", "other")
        packet["Xmp.other.Exposure"] = "+1.00"
        packet["Xmp.tiff.Orientation"] = "6"
        iptc["Iptc.Application2.Headline"] = "Hot glass"
        iptc["Iptc.Application2.City"] = "Fjordby"
    return path


def _write(key: str, source: Path, folder: Path, kept: Kept = Kept()) -> Path:
    depth, ending = FORMATS[key]
    top = 2 ** (16 if depth == 10 else depth) - 1
    pixels = np.rint(PIXELS * top).astype(DTYPES[depth])
    path = folder / f"out{ending}"
    told = Told("srgb", source, "noise 100 %", True, depth, kept=kept)
    write_picture(key, path, Bands(pixels.shape[:2], pixels.dtype, [pixels]), told)
    return path


def _read(path: Path) -> dict[str, str]:
    """Every tag, as exiv2 finds it."""
    image = open_metadata(path)
    return {
        str(datum.key()): str(datum.toString())
        for data in (image.exifData(), image.xmpData(), image.iptcData())
        for datum in data
    }


@pytest.mark.parametrize("key", FORMATS)
def test_metadata_go_through(key: str, source: Path, tmp_path: Path) -> None:
    told = _read(_write(key, source, tmp_path))
    assert told["Exif.Image.Model"] == "Reference" and told["Exif.Photo.ExposureTime"] == "1/60"
    assert told["Exif.Photo.SubjectDistance"] == "25/10"
    assert told["Exif.Image.Orientation"] == "1" and told["Exif.Photo.PixelXDimension"] == "64"
    assert told["Exif.Image.ImageDescription"] == "Blowing the first bubble"
    assert told["Xmp.xmp.Rating"] == "4" and told["Xmp.dc.subject"] == "glass, furnace"
    assert told["Xmp.photoshop.Headline"] == "Hot glass", "IPTC is in XMP too"
    assert "noise 100 %" in told["Xmp.xmpMM.History[1]/stEvt:parameters"]
    assert not {"Xmp.other.Exposure", "Xmp.tiff.Orientation", "Exif.Photo.SubjectArea"} & set(told)
    if key in ("tiff", "jpeg", "png"):
        assert told["Iptc.Application2.Headline"] == "Hot glass"


@pytest.mark.parametrize("key", ["jpeg", "png", "tiff", "avif"])
def test_pillow_reads_the_same(key: str, source: Path, tmp_path: Path) -> None:
    with Image.open(_write(key, source, tmp_path)) as image:
        assert image.size == (64, 48)
        assert image.getexif()[272] == "Reference" and image.getexif()[274] == 1
        assert b"glass" in (image.info.get("xmp") or b"") or "glass" in str(image.getxmp())
        image.load()


def test_the_picture_in_a_file_with_metadata_is_the_same(source: Path, tmp_path: Path) -> None:
    """Boxes that are added leave the pixels where they are: decoded by imagecodecs (libjxl, libavif)."""
    import imagecodecs

    for key, decode in (("jxl", imagecodecs.jpegxl_decode), ("avif", imagecodecs.avif_decode)):
        with_it = decode(_write(key, source, tmp_path).read_bytes())
        without = decode(_write(key, source, tmp_path, Kept("none")).read_bytes())
        np.testing.assert_array_equal(with_it, without)


@pytest.mark.parametrize("policy", POLICIES)
def test_policies(policy: str, source: Path, tmp_path: Path) -> None:
    for key in ("jpeg", "avif"):
        told = _read(_write(key, source, tmp_path, Kept(policy)))
        place = {
            "Exif.GPSInfo.GPSLatitudeRef",
            "Xmp.photoshop.City",
            "Xmp.dc.coverage",
            "Iptc.Application2.City",
        } & set(told)
        assert bool(place) == (policy in ("all", "no-serials"))
        assert ("Exif.Photo.BodySerialNumber" in told) == (policy in ("all", "no-place"))
        assert ("Xmp.dc.rights" in told) == (policy != "none")
        assert ("Exif.Image.Model" in told) == (policy not in ("rights", "none"))
        assert "Exif.Image.Software" in told


def test_what_a_raw_says_in_its_first_directory_goes_along(source: Path, tmp_path: Path) -> None:
    """TIFF/EP (ISO 12234-2): a raw's exposure may stand in its first directory."""
    with changed_metadata(source) as image:
        data = image.exifData()
        del data["Exif.Photo.ExposureTime"]
        data["Exif.Image.ExposureTime"] = exiv2.URationalValue((1, 125))
        data["Exif.Image.FNumber"] = exiv2.URationalValue((56, 10))
    info = read_info(_write("jpeg", source, tmp_path))
    assert (info.shutter, info.aperture) == (1 / 125, 5.6)


def test_the_xmp_beside_a_raw_goes_along(source: Path, tmp_path: Path) -> None:
    packet = exiv2.XmpData()
    packet["Xmp.dc.subject"], packet["Xmp.xmp.Rating"] = ["night"], "2"
    _, text = exiv2.XmpParser.encode(packet, exiv2.XmpParser.XmpFormatFlags.useCompactFormat)
    source.with_suffix(".xmp").write_text(text, "utf-8")
    told = _read(_write("jpeg", source, tmp_path))
    assert told["Xmp.dc.subject"] == "night" and told["Xmp.xmp.Rating"] == "2"


def test_what_is_copied_by_name() -> None:
    assert wanted("Xmp.iptcExt.LocationShown[1]/iptcExt:City", "all")
    assert not wanted("Xmp.iptcExt.LocationShown[1]/iptcExt:City", "no-place")
    assert not wanted("Exif.Photo.MakerNote", "all") and not wanted("Xmp.hdrgm.Version", "all")
    assert not wanted("Xmp.mwg-rs.Regions", "all"), "faces lie elsewhere in a picture that was cropped"


def test_openexr_holds_the_exposure(source: Path, tmp_path: Path) -> None:
    """Read back by the OpenEXR library; names of its standard optional attributes."""
    import OpenEXR

    path = tmp_path / "out.exr"
    light = np.ascontiguousarray(PIXELS)
    told = Told("rec2020", source, "noise 100 %", True, 32, True, kept=Kept(rights="© Ida Solheim"))
    write_picture("exr", path, Bands(light.shape[:2], light.dtype, [light]), told)
    with OpenEXR.File(str(path)) as file:
        header = dict(file.header())
    assert header["expTime"] == pytest.approx(1 / 60) and header["owner"] == "© Ida Solheim"
    assert "aperture" not in header, "what is not known is not written"


def test_a_linear_dng_holds_what_stands_beside_its_raw(tmp_path: Path) -> None:
    """Rating and keywords of the XMP beside it; what the DNG says of its own pixels stays."""
    frame, out = tmp_path / "frame.dng", tmp_path / "out.dng"
    shots.dng(frame, np.full((96, 144, 3), 0.2, np.float32))
    packet = exiv2.XmpData()
    packet["Xmp.dc.subject"], packet["Xmp.xmp.Rating"] = ["night"], "2"
    _, text = exiv2.XmpParser.encode(packet, exiv2.XmpParser.XmpFormatFlags.useCompactFormat)
    frame.with_suffix(".xmp").write_text(text, "utf-8")
    run(FileSource(frame), Settings(), Target(out, how=Destination("x", "dng")))
    told = _read(out)
    assert told["Xmp.dc.subject"] == "night" and told["Xmp.xmp.Rating"] == "2"
    assert "demosaicing" in told["Xmp.xmpMM.History[1]/stEvt:parameters"]
    assert (
        told["Exif.Image.ImageDescription"].startswith("Irvane")
        and told["Exif.Photo.ExposureTime"] == "1/100"
    )
    FileSource(out).load()
