"""The boundary to files: odd names, stated sizes, damaged content; one sentence for each, and little memory."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import zlib
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.core.errors import FileError, ReadError, plain_text
from irvane.core.files import boundary, preferences
from irvane.core.files.boundary import reading, textual
from irvane.core.files.header import read_header
from irvane.core.files.info import read_info
from irvane.core.files.thumbnails import preview
from irvane.core.files.writers import write_exr, write_tiff
from irvane.core.line.source import FileSource
from irvane.core.store.json_text import json_text

ROOT = Path(__file__).parents[2]


def _claiming(folder: Path, kind: str, side: int = 60_000) -> Path:
    """A small file that states an enormous picture."""
    path = folder / f"huge.{kind}"
    if kind == "jpg":
        coded = bytearray(cv2.imencode(".jpg", np.full((64, 64, 3), 90, np.uint8))[1].tobytes())
        at = coded.index(b"\xff\xc0") + 5
        coded[at : at + 4] = side.to_bytes(2, "big") * 2
        path.write_bytes(coded)
    elif kind == "png":
        body = b"IHDR" + side.to_bytes(4, "big") * 2 + bytes((8, 2, 0, 0, 0))
        header = (13).to_bytes(4, "big") + body + zlib.crc32(body).to_bytes(4, "big")
        data = zlib.compress(b"\0" * 100_000)
        chunk = b"IDAT" + data
        tail = len(data).to_bytes(4, "big") + chunk + zlib.crc32(chunk).to_bytes(4, "big")
        path.write_bytes(b"\x89PNG\r\n\x1a\n" + header + tail + b"\0\0\0\0IEND\xaeB`\x82")
    else:
        write_tiff(path, np.zeros((64, 64, 3), np.uint8), space="srgb")
        import tifffile

        with tifffile.TiffFile(path, mode="r+b") as file:
            for name in ("ImageWidth", "ImageLength", "RowsPerStrip"):
                file.pages.first.tags[name].overwrite(side, dtype=4)
    return path


@pytest.mark.parametrize("kind", ["jpg", "png", "tif"])
def test_a_stated_size_is_judged_before_anything_is_decoded(kind: str, tmp_path: Path) -> None:
    path = _claiming(tmp_path, kind)
    code = (
        "import resource, sys; from pathlib import Path; from irvane.core.line.source import FileSource;"
        "from irvane.core.files.thumbnails import preview; from irvane.core.errors import ReadError\n"
        "p = Path(sys.argv[1]); base = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        "for work in (lambda: FileSource(p).load(), lambda: preview(p, 1280)):\n"
        "    try: work(); print('read')\n"
        "    except ReadError as error: print(error)\n"
        "print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - base) // 1024)"
    )
    done = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True)
    first, *_, used = done.stdout.splitlines()
    assert "60000 × 60000 pixels" in first
    assert int(used) < 300, "megabytes"


def test_a_preference_moves_the_limit(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(preferences, "preferences_path", lambda: tmp_path / "p.json")
    preferences.preferences.cache_clear()
    path = tmp_path / "a.tif"
    write_tiff(path, np.zeros((200, 300, 3), np.uint8), space="srgb")
    FileSource(path).load()
    preferences.choose(largest_megapixels=0.05)
    with pytest.raises(ReadError, match="300 × 200 pixels"):
        FileSource(path).load()
    preferences.choose(largest_megapixels=None)
    FileSource(path).load()
    for text in ("{", "[]", '{"largest_megapixels": "x"}', '{"largest_megapixels": -1}'):
        (tmp_path / "p.json").write_text(text, "utf-8")
        preferences.preferences.cache_clear()
        assert preferences.preferences() == preferences.Preferences()
    preferences.preferences.cache_clear()


@pytest.mark.parametrize(
    "error", [AttributeError("x"), IndexError(), SyntaxError(), RecursionError(), OverflowError()]
)
def test_any_exception_becomes_a_sentence_with_its_cause(error: Exception, tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    path.write_bytes(b"x")
    with pytest.raises(ReadError, match="damaged") as caught, reading(path):
        raise error
    assert caught.value.__cause__ is error
    with pytest.raises(ReadError, match="memory"), reading(path):
        raise MemoryError
    with pytest.raises(FileError, match="own"), reading(path):
        raise FileError(path, "own sentence")


@pytest.mark.parametrize("name", [b"b\xe4r.dng", b"\xff\xfe.tif", ("n" * 240 + ".exr").encode()])
def test_names_that_are_no_text_or_long_are_read(name: bytes, tmp_path: Path) -> None:
    for folder in (os.fsencode(tmp_path), os.fsencode(tmp_path) + b"/f\xf6lder"):
        path = Path(os.fsdecode(folder + b"/" + name))
        path.parent.mkdir(exist_ok=True)
        if path.suffix == ".dng":
            plain = tmp_path / "plain.dng"
            shots.dng(plain, np.full((96, 120, 3), 0.2, np.float32))
            plain.rename(path)
            assert read_info(path).shutter == 0.01
        elif path.suffix == ".exr":
            write_exr(path, np.full((32, 48, 3), 0.5, np.float32))
        else:
            write_tiff(path, np.full((32, 48, 3), 90, np.uint8), space="srgb")
        FileSource(path).load()
        assert read_header(path).width in (120, 48)
        assert preview(path, 240).pixels.size
        FileSource(path).name.encode("utf-8")
        with textual(path) as text:
            text.encode("utf-8")
            assert os.path.samefile(text, path)


def test_what_is_shown_of_a_name() -> None:
    assert plain_text(os.fsdecode(b"a\xe4")) == "a\N{REPLACEMENT CHARACTER}"
    assert "\n" not in plain_text("one\ntwo")
    assert len(plain_text("x" * 5000)) == 240


def test_a_frame_without_preview_is_shown_in_its_own_colour(tmp_path: Path) -> None:
    """A red scene is red in the rail."""
    import rawpy

    from irvane.core.files.thumbnails import _own_colour

    path = tmp_path / "red.dng"
    light = np.zeros((120, 180, 3), np.float32) + np.float32([0.5, 0.1, 0.1])
    shots.dng(path, light)
    with rawpy.imread(str(path)) as raw:
        shown = _own_colour(raw, 60)
    red, green, blue = shown.reshape(-1, 3).mean(axis=0)
    assert red > 1.5 * green and abs(green - blue) < 25


def test_a_file_replaced_while_open_is_noticed(tmp_path: Path) -> None:
    path = tmp_path / "a.tif"
    write_tiff(path, np.zeros((32, 32, 3), np.uint8), space="srgb")
    source = FileSource(path)
    assert source.key
    write_tiff(path, np.full((40, 32, 3), 9, np.uint8), space="srgb", overwrite=True)
    with pytest.raises(ReadError, match="another file has taken its place"):
        source.load()


def test_a_short_run_of_the_fuzzer() -> None:
    """As scripts/fuzz.py does by the ten thousand: no foreign exception, no crash."""
    done = subprocess.run(
        [sys.executable, str(ROOT / "scripts" / "fuzz.py"), "--count", "110", "--seed", "70000"],
        capture_output=True, text=True, check=False, timeout=600,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout
    assert "110 passed, 0 failed" in done.stdout


def test_the_fuzzer_finds_faults(tmp_path: Path) -> None:
    sys.path.insert(0, str(ROOT / "scripts"))
    try:
        import fuzz
    finally:
        sys.path.pop(0)
    path = tmp_path / "a.tif"
    write_tiff(path, np.zeros((32, 32, 3), np.uint8), space="srgb")
    assert fuzz.attempt(path) == ""
    real, boundary.check_size = boundary.check_size, None
    try:
        from irvane.core.files import rendered

        kept, rendered.reading = rendered.reading, lambda _path: __import__("contextlib").nullcontext()
        path.write_bytes(b"II*\0" + b"\xff" * 40)
        assert fuzz.attempt(path)
    finally:
        boundary.check_size, rendered.reading = real, kept
    assert json.dumps(fuzz.mutated(b"abcdef", 3).hex()) == json.dumps(fuzz.mutated(b"abcdef", 3).hex())


def test_a_name_that_is_no_text_comes_back_from_json() -> None:
    """Names of files as Python has them (PEP 383), and half a pair of surrogates from a maker's text."""
    name = os.fsdecode(b"/f\xff/fr\xe9.dng")
    text = json_text({"path": name, "words": "grün"})
    text.encode("utf-8")
    assert json.loads(text) == {"path": name, "words": "grün"}
    assert "grün" in json_text({"words": "grün"})
    assert plain_text("lens \ud83d") == "lens ?"
