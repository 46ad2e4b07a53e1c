"""What leaves as light is light: ratios of the scene in the file, whatever Light, Colour and rendering make of it on screen."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import shots
import tifffile

from irvane.cli import main
from irvane.core.colour.camera import BASE_EXPOSURE
from irvane.core.finish.destination import Destination
from irvane.core.finish.job import Target, run
from irvane.core.line.merge_options import MERGE_START
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource
from irvane.core.settings import Settings

#: Light of four fields, in stops around the first; the brightest lies above the sensor's clip of the longer exposures.
_STOPS = (0.0, 2.0, 4.0, 6.0)
_DEEP = 0.004
#: What must not be in the file.
_TONED = {
    "light.exposure": 1.5, "light.tone_map": "local", "light.black": 0.5, "light.contrast": 40, "light.shadows": 2.0,
    "colour.saturation": 150, "acutance.fine": 100, "acutance.automatic": "off", "noise.amount": 0,
}  # fmt: skip


def _scene() -> np.ndarray:
    light = np.empty((192, 256, 3), np.float32)
    for k, stops in enumerate(_STOPS):
        light[:, 64 * k : 64 * (k + 1)] = _DEEP * 2.0**stops
    return light


@pytest.fixture(scope="module")
def bracket(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    folder = tmp_path_factory.mktemp("light")
    paths = []
    for k, ev in enumerate((0, 2, 4)):
        path = folder / f"s{k}.dng"
        shots.dng(path, _scene(), iso=100, exposure=2.0**ev, shutter=2.0**ev / 100, seed=k)
        paths.append(path)
    return paths


def _stops(picture: np.ndarray) -> list[float]:
    """Green of the fields, in stops around the first."""
    fields = [float(picture[40:150, 64 * k + 16 : 64 * k + 48, 1].mean()) for k in range(4)]
    return [float(np.log2(value / fields[0])) for value in fields]


def _exr(path: Path) -> tuple[np.ndarray, dict]:
    with OpenEXR.File(str(path)) as file:
        return np.array(file.channels()["RGB"].pixels), dict(file.header())


def _radiance(path: Path) -> np.ndarray:
    import cv2

    return cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., ::-1]


def test_a_merge_from_the_command_line_is_scene_linear(bracket: list[Path], tmp_path: Path, capsys) -> None:
    """The local operator and the black point that a merge starts with are in no file of light."""
    files = [str(path) for path in bracket]
    for ending in ("exr", "hdr"):
        out = tmp_path / f"m.{ending}"
        assert main(["merge", "hdr", *files, "--out", str(out)]) == 0
        assert capsys.readouterr().out.count("Plain light") == 1
        light = _exr(out)[0] if ending == "exr" else _radiance(out)
        np.testing.assert_allclose(_stops(light), _STOPS, atol=0.05)
    assert (
        main(
            [
                "merge",
                "hdr",
                *files,
                "--out",
                str(tmp_path / "t.exr"),
                "--toned",
                "--set",
                "light.contrast=50",
            ]
        )
        == 0
    )
    assert "with tone" in capsys.readouterr().out
    toned = _exr(tmp_path / "t.exr")[0]
    assert abs(_stops(toned)[3] - _STOPS[3]) > 0.5, "asked for, the tone is in it"


def test_no_station_after_the_camera_acts_in_files_of_light(bracket: list[Path], tmp_path: Path) -> None:
    source, settings = FileSource(bracket[0]), Settings().with_values(_TONED)
    plain = Settings().with_values({"noise.amount": 0, "acutance.automatic": "off"})
    run(source, settings, Target(tmp_path / "a.exr"))
    run(source, plain, Target(tmp_path / "b.exr"))
    one, header = _exr(tmp_path / "a.exr")
    np.testing.assert_array_equal(one, _exr(tmp_path / "b.exr")[0])
    np.testing.assert_allclose(_stops(one), _STOPS, atol=0.05)
    assert header["baseExposure"] == pytest.approx(BASE_EXPOSURE)
    run(source, settings, Target(tmp_path / "a.tif", depth=32))
    found = tifffile.imread(tmp_path / "a.tif")
    assert found.dtype == np.float32
    np.testing.assert_allclose(_stops(found), _STOPS, atol=0.05)
    run(source, settings.with_value("finish.tone", "toned"), Target(tmp_path / "t.tif", depth=32))
    assert abs(_stops(tifffile.imread(tmp_path / "t.tif"))[3] - _STOPS[3]) > 0.5
    for how in (Destination("x", "exr", 32), Destination("x", "tiff", 32)):
        path = tmp_path / f"d{how.ending}"
        written = run(source, settings, Target(path, how=how, overwrite=True))
        light = _exr(path)[0] if how.format == "exr" else tifffile.imread(path)
        np.testing.assert_allclose(_stops(light), _STOPS, atol=0.05)
        assert "Plain light" in " ".join(written.notes) and "plain light" in how.words()


def test_mid_grey_lies_where_it_is_said_to(tmp_path: Path) -> None:
    """18 % grey, metered so that white has its headroom: 0.18 in OpenEXR; its share of the clip with the offset taken off."""
    path = tmp_path / "grey.dng"
    shots.dng(path, np.full((96, 144, 3), 0.18, np.float32), iso=100, exposure=2**-0.5)
    run(FileSource(path), Settings().with_value("noise.amount", 0), Target(tmp_path / "grey.exr"))
    light, header = _exr(tmp_path / "grey.exr")
    assert light.mean() == pytest.approx(0.18, rel=0.02)
    share = light.mean() * 2.0 ** -header["baseExposure"]
    assert share == pytest.approx(0.18 * 2**-0.5, rel=0.02), "what the sensor saw of its clip"
    run(FileSource(path), Settings(), Target(tmp_path / "grey.hdr"))
    assert b"baseExposure=0.5 EV: 18 % grey is 0.18" in (tmp_path / "grey.hdr").read_bytes()[:400]
    run(FileSource(path), Settings(), Target(tmp_path / "g.dng", how=Destination("x", "dng")))
    with tifffile.TiffFile(tmp_path / "g.dng") as file:
        top, bottom = file.pages.first.tags[50730].value
        assert top / bottom == pytest.approx(BASE_EXPOSURE), "BaselineExposure (DNG specification)"


def test_light_above_white_survives(bracket: list[Path], tmp_path: Path) -> None:
    """Merged, the brightest field lies at 0.256 of the darkest frame's scale; brighter by three stops it is beyond 1."""
    source = MergeSource([bracket[0], bracket[1]])
    source.load()
    lamp = tmp_path / "lamp.dng"
    bright = _scene()
    bright[:, 192:] = 1.8
    shots.dng(lamp, bright, iso=100, exposure=0.5, shutter=0.005)
    run(FileSource(lamp), Settings().with_values(MERGE_START), Target(tmp_path / "lamp.exr"))
    light = _exr(tmp_path / "lamp.exr")[0]
    assert light[40:150, 208:240, 1].mean() == pytest.approx(1.8 * 0.5 * 2**BASE_EXPOSURE, rel=0.05)
    assert light.max() > 1.1
