"""DNG mosaics decoded on all cores: whatever LibRaw says of the same file is the truth."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import shots
import tifffile

from irvane.core.files import raw as raw_files
from irvane.core.files.plain_dng import read_plain_dng
from irvane.core.files.raw import RawFrame, decode_raw
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.develop import develop
from irvane.core.line.source import FileSource
from irvane.core.settings import Settings

Tags = list[tuple]
NEUTRAL = (520, 1000, 1000, 1000, 660, 1000)


def _coded(block: np.ndarray) -> bytes:
    pairs = np.ascontiguousarray(block).reshape(block.shape[0], -1, 2)
    return bytes(
        imagecodecs.jpeg8_encode(
            pairs, lossless=True, bitspersample=16, colorspace="unknown", outcolorspace="unknown"
        )
    )


def _write(
    path: Path, cfa: np.ndarray, *tags: tuple, strip: int = 0, black: tuple = (50714, "I", 1, 512, True),
    orientation: int = 1,
) -> Path:  # fmt: skip
    rng = np.random.default_rng(8)
    counts = rng.integers(500, 12_000, (192, 256)).astype(np.uint16)
    for tag in tags:  # outside of the active area it is dark
        if tag[0] == 50829:
            top, left, bottom, right = tag[3]
            dark = np.ones(counts.shape, bool)
            dark[top:bottom, left:right] = False
            counts[dark] = 512
    high, wide = (strip, 256) if strip else (64, 64)

    def blocks() -> Iterator[bytes]:
        for y in range(0, 192, high):
            for x in range(0, 256, wide):
                yield _coded(counts[y : y + high, x : x + wide])

    side = cfa.shape[0]
    given = {tag[0] for tag in tags}
    usual: Tags = [
        (50706, "B", 4, (1, 4, 0, 0), True),
        (50708, "s", 0, "Irvane Plain", True),
        (271, "s", 0, "Irvane", True),
        (272, "s", 0, "Plain", True),
        (274, "H", 1, orientation, True),
        (33421, "H", 2, (side, side), True),
        (33422, "B", side * side, bytes(cfa.astype(np.uint8).ravel()), True),
        (50710, "B", 3, bytes((0, 1, 2)), True),
        (50711, "H", 1, 1, True),
        (50717, "I", 1, 16_383, True),
        (50728, "2I", 3, NEUTRAL, True),
        black,
    ]
    layout = {"rowsperstrip": high} if strip else {"tile": (high, wide)}
    with tifffile.TiffWriter(path) as writer:
        writer.write(
            blocks(), shape=counts.shape, dtype=np.uint16, photometric=32803, compression=7, subfiletype=0,
            extratags=[tag for tag in usual if tag[0] not in given] + list(tags), metadata=None, software=False,
            **layout,
        )  # fmt: skip
    return path


def _both(path: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[RawFrame, RawFrame]:
    own = decode_raw(path)
    monkeypatch.setattr(raw_files, "read_plain_dng", lambda _path: None)
    return own, decode_raw(path)


def _same(own: RawFrame, other: RawFrame) -> None:
    np.testing.assert_array_equal(own.counts, other.counts)
    np.testing.assert_array_equal(own.cfa, other.cfa)
    np.testing.assert_allclose(own.black, other.black, atol=1e-3)
    np.testing.assert_allclose(own.uneven, other.uneven, atol=1e-3)
    np.testing.assert_array_equal(own.white, other.white)
    np.testing.assert_allclose(own.colour.neutral, other.colour.neutral, rtol=1e-4)
    assert own.flip == other.flip
    assert own.notes == other.notes
    assert (own.masked is None) == (other.masked is None)
    if own.masked is not None and other.masked is not None:
        np.testing.assert_array_equal(own.masked[0], other.masked[0])
        np.testing.assert_array_equal(own.masked[1], other.masked[1])


KINDS: dict[str, Callable[[Path], Path]] = {
    "tiles": lambda p: _write(p, BAYER),
    "one strip": lambda p: _write(p, BAYER, strip=192),
    "another order": lambda p: _write(p, np.roll(BAYER, 1, axis=1)),
    "6x6": lambda p: _write(p, SIX_BY_SIX),
    "turned": lambda p: _write(p, BAYER, orientation=8),
    "active area": lambda p: _write(p, BAYER, (50829, "I", 4, (8, 22, 180, 250), True)),
    "masked": lambda p: _write(
        p, BAYER, (50829, "I", 4, (0, 16, 192, 256), True), (50830, "I", 4, (0, 0, 192, 16), True)
    ),
    "uneven greens": lambda p: _write(
        p, BAYER, (50713, "H", 2, (2, 2), True), black=(50714, "I", 4, (510, 512, 518, 511), True)
    ),
    "unequal blacks of 6x6": lambda p: _write(p, SIX_BY_SIX, black=(50714, "2I", 1, (1023, 2), True)),
}


@pytest.mark.parametrize("kind", KINDS)
def test_it_reads_what_libraw_reads(kind: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = KINDS[kind](tmp_path / "a.dng")
    assert read_plain_dng(path) is not None
    own, other = _both(path, monkeypatch)
    if kind == "unequal blacks of 6x6":  # LibRaw keeps whole counts only; the file says 511.5
        np.testing.assert_array_equal(own.black, np.full(3, 511.5))
        return
    _same(own, other)


def test_several_strips_hold_the_same_picture_as_tiles(tmp_path: Path) -> None:
    """LibRaw reads the first strip only; the file's own counts are the truth here."""
    strips = read_plain_dng(_write(tmp_path / "strips.dng", BAYER, strip=48))
    tiles = read_plain_dng(_write(tmp_path / "tiles.dng", BAYER))
    assert strips is not None and tiles is not None
    np.testing.assert_array_equal(strips.counts, tiles.counts)


def test_an_active_area_may_begin_anywhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """LibRaw drops the first row and column to begin at even places; the pattern must agree there."""
    path = _write(tmp_path / "a.dng", BAYER, (50829, "I", 4, (7, 21, 180, 250), True))
    own, other = _both(path, monkeypatch)
    assert own.counts.shape == (173, 229)
    np.testing.assert_array_equal(own.counts[1:, 1:], other.counts)
    np.testing.assert_array_equal(np.roll(own.cfa, (-1, -1), (0, 1)), other.cfa)


def test_frames_of_the_simulated_camera_are_read_alike(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for six in (False, True):
        path = tmp_path / f"{six}.dng"
        counts = shots.dng(path, np.full((240, 300, 3), 0.2, np.float32), six=six)
        with monkeypatch.context() as patch:
            own, other = _both(path, patch)
        _same(own, other)
        np.testing.assert_array_equal(own.counts, counts)


def test_unusual_and_damaged_files_are_left_to_libraw(tmp_path: Path) -> None:
    table = (50712, "H", 4, (0, 5, 20, 100), True)
    assert read_plain_dng(_write(tmp_path / "table.dng", BAYER, table)) is None
    four = (50710, "B", 3, bytes((0, 1, 3)), True)
    assert read_plain_dng(_write(tmp_path / "planes.dng", BAYER, four)) is None
    assert read_plain_dng(tmp_path / "missing.dng") is None
    text = tmp_path / "text.dng"
    text.write_text("no picture")
    assert read_plain_dng(text) is None
    broken = _write(tmp_path / "broken.dng", BAYER)
    with tifffile.TiffFile(broken) as file:
        first = file.pages.first.dataoffsets[3]
    data = bytearray(broken.read_bytes())
    data[first : first + 40] = bytes(40)
    broken.write_bytes(data)
    assert read_plain_dng(broken) is None


def test_two_greens_with_their_own_black_leave_no_pattern(tmp_path: Path) -> None:
    """Common practice: a green level that differs by place must be taken off by place, or a maze is left."""
    blacks = np.array([[510, 512], [518, 511]])
    path = _write(tmp_path / "a.dng", BAYER, (50713, "H", 2, (2, 2), True),
                  black=(50714, "I", 4, tuple(blacks.ravel().tolist()), True))  # fmt: skip
    mosaic = FileSource(path).load().mosaic
    raw = decode_raw(path)
    assert mosaic is not None
    scaled = mosaic.data[0::2, 1::2] * (raw.white[1] - raw.black[1]) + 512
    np.testing.assert_allclose(scaled, raw.counts[0::2, 1::2], atol=0.01)
    scaled = mosaic.data[1::2, 0::2] * (raw.white[1] - raw.black[1]) + 518
    np.testing.assert_allclose(scaled, raw.counts[1::2, 0::2], atol=0.01)


def test_developing_leaves_what_was_loaded_alone(tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    shots.dng(path, np.full((240, 300, 3), 0.001, np.float32), iso=12_800)
    loaded = FileSource(path).load()
    assert loaded.mosaic is not None
    loaded.mosaic.data[100, 100] = 0.9
    before = loaded.mosaic.data.copy()
    settings = Settings().with_value("sensor.banding", "both")
    developed = develop(loaded, settings.sensor)
    assert developed.defects > 0
    np.testing.assert_array_equal(loaded.mosaic.data, before)
