"""Files in and out: read and checked by other libraries; bad input gets one sentence."""

from __future__ import annotations

import errno
import io
import os
from dataclasses import replace
from datetime import datetime, timedelta
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

from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.errors import ReadError, WriteError
from irvane.core.files.collecting import collect
from irvane.core.files.info import FrameInfo, exposure_text, read_info, shutter_text
from irvane.core.files.raw import decode_raw
from irvane.core.files.rendered import decode_rendered
from irvane.core.files.sets import alike_run, find_brackets, find_pairs, same_scene
from irvane.core.files.thumbnails import preview
from irvane.core.files.writers import quantise, write_exr, write_jpeg, write_tiff
from irvane.core.finish import job
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.realise import realise
from irvane.core.line.source import DISPLAY, FileSource, content_hash
from irvane.core.merge.planning import stepped_by
from irvane.core.settings import Settings
from irvane.core.store import atomic

# in


@pytest.mark.parametrize("six", [False, True])
def test_dng_is_read_by_libraw_exactly(tmp_path: Path, six: bool) -> None:
    path = tmp_path / "a.dng"
    counts = shots.dng(path, shots.photograph(), iso=800, six=six)
    with rawpy.imread(str(path)) as raw:
        assert np.array_equal(raw.raw_image_visible, counts)
        assert raw.extract_thumb().format == rawpy.ThumbFormat.JPEG
        assert raw.raw_pattern.shape == ((6, 6) if six else (2, 2))
    ours = decode_raw(path)
    assert np.array_equal(ours.cfa, SIX_BY_SIX if six else BAYER)
    assert ours.noise is not None
    assert ours.noise.origin == "file"
    assert ours.noise.sigma(0.1) == pytest.approx(shots.noise_of(800).sigma(0.1), rel=1e-4)
    assert ours.colour.neutral == pytest.approx(shots.NEUTRAL, abs=1e-4)
    assert ours.colour.matrix_warm is not None


def test_exposure_data_agree_with_exiv2(tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    shots.dng(path, shots.photograph(), iso=1600, shutter=1 / 250)
    info = read_info(path)
    assert (info.iso, info.aperture, info.focal, info.taken) == (1600, 4, 35, shots.WHEN)
    assert info.shutter == pytest.approx(1 / 250)
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    assert str(image.exifData()["Exif.Photo.FNumber"].toString()) == "4/1"
    assert exposure_text(info) == "1/250 s · f/4 · ISO 1600"


def test_a_stop_is_a_factor_of_two() -> None:
    # common practice: from 1/250 s, two stops more are 1/63, near 1/60 s
    two_more = FrameInfo(shutter=4 / 250, iso=100)
    assert two_more.exposure_value - FrameInfo(shutter=1 / 250, iso=100).exposure_value == pytest.approx(2)  # type: ignore[operator]
    assert shutter_text(4 / 250) == "1/62 s"
    assert shutter_text(2.5) == "2.5 s"
    assert shutter_text(None) == "– s"


@pytest.mark.parametrize(("orientation", "flip"), [(1, 0), (3, 3), (6, 6), (8, 5)])
def test_orientation_is_applied(tmp_path: Path, orientation: int, flip: int) -> None:
    path = tmp_path / "a.dng"
    light = np.full((120, 180, 3), 0.05, np.float32)
    light[:40, :60] = 0.6  # bright top left corner on the sensor
    shots.dng(path, light, orientation=orientation)
    assert decode_raw(path).flip == flip
    developed, _ = realise(FileSource(path), Settings().with_value("noise.amount", 0))
    with rawpy.imread(str(path)) as raw:
        other = raw.postprocess(use_camera_wb=True, half_size=True)
    ours = developed.plain.whole(max(other.shape[:2])).pixels[..., 1]
    assert ours.shape == other.shape[:2]
    bright_ours = np.unravel_index(cv2.GaussianBlur(ours, (0, 0), 8).argmax(), ours.shape)
    bright_other = np.unravel_index(cv2.GaussianBlur(other[..., 1], (0, 0), 8).argmax(), ours.shape)
    assert np.hypot(*(np.array(bright_ours) - bright_other)) < 15


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16, np.float32])
def test_tiff_is_read_with_its_profile(tmp_path: Path, dtype: type) -> None:
    rng = np.random.default_rng(0)
    linear = rng.uniform(0, 1, (40, 50, 3)).astype(np.float32)
    coded = SPACES["prophoto"].encode(linear)
    top = {np.uint8: 255, np.uint16: 65535, np.float32: 1}[dtype]
    path = tmp_path / "a.tif"
    from irvane.core.colour.icc import profile

    tifffile.imwrite(
        path,
        (coded * top).round(0 if top > 1 else 7).astype(dtype),
        photometric="rgb",
        iccprofile=profile("prophoto"),
    )
    picture = decode_rendered(path)
    expected = linear @ between(SPACES["prophoto"], WORKING).T
    assert np.abs(picture.linear - expected).max() < (0.03 if dtype is np.uint8 else 1e-3)
    assert not picture.scene


def test_png_keeps_sixteen_bits_and_jpeg_is_srgb(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    deep = rng.integers(0, 65535, (20, 30, 3)).astype(np.uint16)
    (tmp_path / "a.png").write_bytes(imagecodecs.png_encode(deep))
    expected = SPACES["srgb"].decode(deep / 65535) @ between(SPACES["srgb"], WORKING).T
    assert np.abs(decode_rendered(tmp_path / "a.png").linear - expected).max() < 1e-4
    flat = np.full((64, 64, 3), (200, 120, 40), np.uint8)
    Image.fromarray(flat).save(tmp_path / "a.jpg", quality=98)
    expected = SPACES["srgb"].decode(flat[:1, :1] / 255) @ between(SPACES["srgb"], WORKING).T
    assert np.abs(decode_rendered(tmp_path / "a.jpg").linear - expected).max() < 0.02


def test_nan_and_infinity_are_replaced_and_counted(tmp_path: Path) -> None:
    picture = np.full((20, 30, 3), 0.5, np.float32)
    picture[3, 4] = np.nan
    picture[5, 6] = np.inf
    path = tmp_path / "a.exr"
    with OpenEXR.File({"type": OpenEXR.scanlineimage}, {"RGB": picture}) as file:
        file.write(str(path))
    read = decode_rendered(path)
    assert np.isfinite(read.linear).all()
    assert read.scene
    assert any("6 values" in note for note in read.notes)


def test_previews_know_their_extent(frames: Path) -> None:
    shown = preview(frames / "test-card.dng", 300)
    assert max(shown.pixels.shape[:2]) <= 300
    assert shown.extent == (600, 900)


def test_content_hash_survives_renaming(frames: Path) -> None:
    before = content_hash(frames / "test-card.dng")
    (frames / "test-card.dng").rename(frames / "x.dng")
    assert content_hash(frames / "x.dng") == before
    assert content_hash(frames / "bench-iso6400.dng") != before


BAD = {
    "empty.dng": b"",
    "text.dng": b"hello, this is no picture" * 40,
    "text.tif": b"II*\0 not really",
    "empty.jpg": b"",
    "noise.png": bytes(range(256)) * 8,
    "half.exr": b"v/1\x01\x02\0\0\0" + b"\0" * 50,
    "zero.cr2": b"\0" * 4096,
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_are_said_in_one_sentence(tmp_path: Path, name: str) -> None:
    (tmp_path / name).write_bytes(BAD[name])
    with pytest.raises(ReadError) as caught:
        FileSource(tmp_path / name).load()
    assert name in str(caught.value)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("share", [0.02, 0.3, 0.9])
def test_truncated_raws_are_said(frames: Path, share: float) -> None:
    path = frames / "bench-iso6400.dng"
    content = path.read_bytes()
    path.write_bytes(content[: int(len(content) * share)])
    with pytest.raises(ReadError, match="bench-iso6400"):
        FileSource(path).load()


def test_missing_files_and_folders_are_said(tmp_path: Path) -> None:
    with pytest.raises(ReadError, match="not there"):
        FileSource(tmp_path / "x.dng").load()
    with pytest.raises(ReadError, match="folder"):
        content_hash(tmp_path)


# sets


def _infos(evs: list[float], gap: float = 2, model: str = "A") -> list[FrameInfo]:
    start = datetime(2026, 5, 1, 12)
    return [
        FrameInfo(
            model=model,
            shutter=2.0**ev / 60,
            iso=100,
            aperture=4,
            focal=35,
            taken=start + timedelta(seconds=gap * k),
        )
        for k, ev in enumerate(evs)
    ]


@pytest.mark.parametrize("evs", [[-2, 0, 2], [0, -2, 2], [-2, -1, 0, 1, 2], [0, 1, -1, 2, -2, 3, -3]])
def test_brackets_are_found(evs: list[float]) -> None:
    found = find_brackets(_infos(evs), [None] * len(evs))
    assert len(found) == 1
    assert sorted(found[0].offsets) == sorted(float(e) for e in evs)


def test_what_is_no_bracket_is_none() -> None:
    assert find_brackets(_infos([0, 0, 0]), [None] * 3) == []
    assert find_brackets(_infos([-2, 0, 2], gap=60), [None] * 3) == []
    two = _infos([-2, 0, 2]) + [
        FrameInfo(
            model="A", shutter=i.shutter, iso=100, aperture=4, focal=35, taken=i.taken + timedelta(minutes=5)
        )  # type: ignore[operator]
        for i in _infos([-1, 0, 1])
    ]
    assert [b.members for b in find_brackets(two, [None] * 6)] == [(0, 1, 2), (3, 4, 5)]


def test_brackets_by_aperture_and_by_iso_are_found_and_told() -> None:
    plain = _infos([0, 0, 0])
    by_aperture = [replace(i, aperture=f) for i, f in zip(plain, (4, 8, 16), strict=True)]
    by_iso = [replace(i, iso=iso) for i, iso in zip(plain, (100, 400, 1600), strict=True)]
    for infos, sentence in ((by_aperture, "f/4 to f/16"), (by_iso, "ISO"), (_infos([-2, 0, 2]), "")):
        (found,) = find_brackets(infos, [None] * 3)
        assert found.members == (0, 1, 2) and sorted(found.offsets) == pytest.approx([-2, 0, 2], abs=0.05)
        told = stepped_by(infos)
        assert sentence in told and bool(told) == bool(sentence)


def test_raw_and_finished_picture_of_one_shot_are_a_pair() -> None:
    infos = _infos([0, 0, 0, 0], gap=0)
    infos[3] = replace(infos[3], taken=infos[3].taken + timedelta(hours=1))  # type: ignore[operator]
    names = [Path("/a/one.dng"), Path("/a/ONE.jpg"), Path("/b/one.jpg"), Path("/a/two.dng")]
    assert find_pairs(names, infos) == [(0, 1)]
    names[2] = Path("/a/two.jpg")
    assert find_pairs(names, infos) == [(0, 1)], "taken at another time"


def test_alike_frames_are_those_around_one_that_show_the_same(demo: Path) -> None:
    names = ["test-card", "furnace-hand-1", "furnace-hand-2", "furnace-hand-3", "window-leaves"]
    shown = [preview(demo / f"{name}.dng", 320).pixels for name in names]
    infos = _infos([0] * 5, gap=5)
    assert alike_run(infos, shown, 2, 6) == [1, 2, 3] and alike_run(infos, shown, 2, 2) == [2, 3]
    assert alike_run(infos, shown, 0, 6) == [0]
    assert alike_run(_infos([0] * 5, gap=60), shown, 2, 6) == [2], "too long between them"


def test_content_tells_scenes_apart(demo: Path) -> None:
    show = {
        name: preview(demo / f"{name}.dng", 320).pixels
        for name in ("furnace-hand-1", "furnace-hand-3", "test-card", "window-leaves")
    }
    assert same_scene(show["furnace-hand-1"], show["furnace-hand-3"])
    assert not same_scene(show["furnace-hand-1"], show["test-card"])
    assert not same_scene(show["window-leaves"], show["test-card"])


def test_collecting_says_what_holds_nothing(demo: Path, tmp_path: Path) -> None:
    found, problems = collect([demo, tmp_path, tmp_path / "none"])
    assert len(found) == 6
    assert len(problems) == 2


# out


def test_a_tiff_is_written_without_linux_own_calls(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    pixels = np.random.default_rng(0).integers(0, 65536, (50, 60, 3), dtype=np.uint16)
    monkeypatch.setattr(atomic, "_library", object)  # a C library without sync_file_range
    write_tiff(tmp_path / "plain.tif", pixels, space="srgb")
    assert np.array_equal(tifffile.imread(tmp_path / "plain.tif"), pixels)


@pytest.mark.parametrize("space", list(SPACES))
def test_tiff_is_what_other_libraries_read(frames: Path, space: str) -> None:
    pixels = quantise(np.random.default_rng(0).uniform(0, 1, (31, 47, 3)), 16)
    target = frames / "o.tif"
    write_tiff(target, pixels, space=space, source=frames / "test-card.dng", description="what was done")
    assert np.array_equal(tifffile.imread(target), pixels)
    assert np.array_equal(cv2.imread(str(target), cv2.IMREAD_UNCHANGED)[..., ::-1], pixels)
    with Image.open(target) as image:
        icc = image.info["icc_profile"]
    name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc)))
    assert SPACES[space].name.split(" ")[0].lower() in name.lower()
    info = read_info(target)
    original = read_info(frames / "test-card.dng")
    assert (info.iso, info.shutter, info.taken, info.model) == (
        original.iso,
        original.shutter,
        original.taken,
        original.model,
    )
    with pytest.raises(rawpy.LibRawError):  # copied metadata must not turn it into a raw
        rawpy.imread(str(target)).unpack()


def test_jpeg_and_exr_are_what_other_libraries_read(frames: Path) -> None:
    smooth = np.linspace(0, 1, 64 * 96 * 3).reshape(64, 96, 3)
    write_jpeg(frames / "o.jpg", quantise(smooth, 8), space="p3", quality=95, source=frames / "test-card.dng")
    with Image.open(frames / "o.jpg") as image:
        assert np.abs(np.asarray(image).astype(int) - quantise(smooth, 8)).max() <= 6
        assert "P3" in ImageCms.getProfileDescription(
            ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
        )
    assert read_info(frames / "o.jpg").iso == 100
    light = np.random.default_rng(0).uniform(-0.1, 40, (20, 30, 3)).astype(np.float32)
    write_exr(frames / "o.exr", light[:, ::-1], space="rec2020")
    with OpenEXR.File(str(frames / "o.exr")) as file:
        assert np.array_equal(file.channels()["RGB"].pixels, light[:, ::-1])
    assert np.allclose(decode_rendered(frames / "o.exr").linear, light[:, ::-1], atol=1e-4)


def test_nothing_is_overwritten_unasked(tmp_path: Path) -> None:
    target = tmp_path / "o.tif"
    target.write_bytes(b"precious")
    pixels = np.zeros((8, 8, 3), np.uint8)
    with pytest.raises(WriteError, match="exists"):
        write_tiff(target, pixels, space="srgb")
    assert target.read_bytes() == b"precious"
    write_tiff(target, pixels, space="srgb", overwrite=True)
    assert tifffile.imread(target).shape == (8, 8, 3)


def test_a_full_disk_leaves_nothing_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(_handle: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(WriteError, match="disk is full"):
        write_tiff(tmp_path / "o.tif", np.zeros((8, 8, 3), np.uint8), space="srgb")
    assert list(tmp_path.iterdir()) == []


def test_a_finished_picture_is_written_with_equal_values(tmp_path: Path) -> None:
    pixels = np.random.default_rng(0).integers(0, 256, (64, 80, 3)).astype(np.uint8)
    Image.fromarray(pixels).save(tmp_path / "in.png")
    assert FileSource(tmp_path / "in.png").load().entry == DISPLAY
    job.run(FileSource(tmp_path / "in.png"), Settings(), job.Target(tmp_path / "out.tif", depth=8))
    assert np.abs(tifffile.imread(tmp_path / "out.tif").astype(int) - pixels).max() <= 1


def test_originals_are_never_written(frames: Path) -> None:
    source = FileSource(frames / "test-card.dng")
    copy = frames / "link.tif"
    copy.symlink_to(frames / "test-card.dng")
    with pytest.raises(WriteError, match="original"):
        job.run(source, Settings(), job.Target(copy, overwrite=True))


def test_times_are_sorted_with_fractions_and_zones(tmp_path: Path) -> None:
    path = tmp_path / "a.jpg"
    Image.new("RGB", (40, 30)).save(path)
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    data = image.exifData()
    # Exif 2.32, tags DateTimeOriginal, SubSecTimeOriginal, OffsetTimeOriginal
    data["Exif.Photo.DateTimeOriginal"] = exiv2.AsciiValue("2026:03:04 10:20:30")
    data["Exif.Photo.SubSecTimeOriginal"] = exiv2.AsciiValue("25")
    data["Exif.Photo.OffsetTimeOriginal"] = exiv2.AsciiValue("+01:30")
    image.writeMetadata()
    info = read_info(path)
    assert info.taken == datetime(2026, 3, 4, 10, 20, 30, 250_000) and info.zone == 90
    assert info.moment == datetime(2026, 3, 4, 8, 50, 30, 250_000)
    assert replace(info, zone=None).moment == info.taken
