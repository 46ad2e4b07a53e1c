"""Kinds of raw files and odd metadata: developed, with a sentence about fallbacks, or refused with one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import shots
import tifffile

from irvane.core.errors import ReadError
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.source import CAMERA, MOSAIC, FileSource
from irvane.core.line.view import render_view
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings
from irvane.core.simulate.camera import Body

_LINEAR_RAW, _CFA = 34892, 32803


def _matrix() -> tuple[str, int, tuple[int, ...]]:
    values = np.round(Body("Reference").matrix_d65.ravel() * 10_000).astype(int)
    return "2i", 9, tuple(int(v) for pair in zip(values, [10_000] * 9, strict=True) for v in pair)


def _dng(
    path: Path,
    data: np.ndarray,
    photometric: int,
    *tags: tuple,
    matrix: bool = True,
    white: int | None = 16383,
) -> Path:
    neutral = tuple(
        int(v) for pair in zip(np.round(shots.NEUTRAL * 1000), [1000] * 3, strict=True) for v in pair
    )
    extra: list[tuple] = [
        (50706, "B", 4, (1, 4, 0, 0), True),
        (50708, "s", 0, "Irvane Kinds", True),
        (271, "s", 0, "Irvane", True),
        (272, "s", 0, "Kinds", True),
        (50714, "I", 1, 512, True),
        *tags,
    ]
    if white is not None:
        extra.append((50717, "I", 1, white, True))
    if data.ndim == 3 or photometric == _CFA:
        extra.append((50728, "2I", 3, neutral, True))
        if matrix:
            extra += [(50721, *_matrix(), True), (50778, "H", 1, 21, True)]
    mono = photometric == _LINEAR_RAW and data.ndim == 2  # tifffile writes it as plain grey only
    kind = "minisblack" if mono else photometric
    tifffile.imwrite(path, data, photometric=kind, extratags=extra, metadata=None, subfiletype=0)
    if mono:
        with tifffile.TiffFile(path, mode="r+b") as file:
            file.pages[0].tags["PhotometricInterpretation"].overwrite(_LINEAR_RAW)
    return path


def _cfa_tags(side: int, pattern: bytes, planes: bytes = bytes((0, 1, 2))) -> list[tuple]:
    return [
        (33421, "H", 2, (side, side), True),
        (33422, "B", side * side, pattern, True),
        (50710, "B", len(planes), planes, True),
        (50711, "H", 1, 1, True),
    ]


def _levels(camera: np.ndarray) -> np.ndarray:
    return np.round(512 + camera * (16383 - 512)).clip(0, 16383).astype(np.uint16)


def _shown(path: Path) -> np.ndarray:
    loaded = FileSource(path).load()
    developed = develop(loaded, Settings().sensor)
    h, w = developed.extent
    return (
        render_view(developed, Settings(), make_context(developed), OutputRegion(0, 0, h, w))
        .pixels[..., :3]
        .astype(float)
    )


def test_a_monochrome_sensor_gives_grey(tmp_path: Path) -> None:
    light = np.tile(np.linspace(0.02, 0.4, 400, dtype=np.float32), (300, 1))
    path = _dng(tmp_path / "grey.dng", _levels(light), _LINEAR_RAW)
    loaded = FileSource(path).load()
    assert loaded.entry == CAMERA
    assert any("monochrome" in note for note in loaded.notes)
    shown = _shown(path)
    assert np.ptp(shown, axis=2).max() <= 1
    assert (np.diff(shown[150, ::20, 1]) > 0).all()


def test_a_demosaiced_raw_keeps_its_colours(tmp_path: Path) -> None:
    camera = shots.photograph("astronaut.png", reduced=False)[:300, :400] * shots.NEUTRAL.astype(np.float32)
    mosaic = shots.dng(tmp_path / "mosaic.dng", shots.photograph("astronaut.png", reduced=False)[:300, :400])
    assert mosaic.shape == (300, 400)
    path = _dng(tmp_path / "linear.dng", _levels(camera), _LINEAR_RAW)
    loaded = FileSource(path).load()
    assert loaded.entry == CAMERA and loaded.picture is not None
    np.testing.assert_allclose(loaded.picture, camera, atol=1e-4)
    assert FileSource(tmp_path / "mosaic.dng").load().entry == MOSAIC


def test_four_filter_colours_are_refused_with_a_sentence(tmp_path: Path) -> None:
    pattern = bytes((0, 1, 3, 2))
    path = _dng(
        tmp_path / "four.dng",
        np.full((300, 400), 2000, np.uint16),
        _CFA,
        *_cfa_tags(2, pattern, bytes((0, 1, 2, 3))),
    )
    with pytest.raises(ReadError, match="four\\.dng"):
        FileSource(path).load()


def test_an_unknown_pattern_is_refused_with_a_sentence(tmp_path: Path) -> None:
    pattern = bytes((0, 0, 1, 1))  # no blue
    path = _dng(tmp_path / "odd.dng", np.full((300, 400), 2000, np.uint16), _CFA, *_cfa_tags(2, pattern))
    with pytest.raises(ReadError, match="odd\\.dng"):
        FileSource(path).load()


def test_without_a_matrix_colours_are_approximate_and_it_says_so(tmp_path: Path) -> None:
    camera = shots.photograph("astronaut.png", reduced=False)[:300, :400] * shots.NEUTRAL.astype(np.float32)
    counts = _levels(shots.mosaic_of(camera).data)
    path = _dng(tmp_path / "bare.dng", counts, _CFA, *_cfa_tags(2, bytes((0, 1, 1, 2))), matrix=False)
    loaded = FileSource(path).load()
    assert any("no camera colour matrix" in note for note in loaded.notes)
    shown = _shown(path)
    assert np.isfinite(shown).all() and shown.std() > 10


def test_a_zero_white_level_is_replaced_and_it_says_so(tmp_path: Path) -> None:
    counts = _levels(
        shots.mosaic_of(
            shots.photograph("astronaut.png", reduced=False)[:300, :400] * shots.NEUTRAL.astype(np.float32)
        ).data
    )
    path = _dng(tmp_path / "white.dng", counts, _CFA, *_cfa_tags(2, bytes((0, 1, 1, 2))), white=0)
    loaded = FileSource(path).load()
    assert loaded.mosaic is not None
    assert 0.1 < loaded.mosaic.data.max() <= 1.01
    if loaded.levels is not None and loaded.levels[1].max() < 65535:
        assert loaded.notes


@pytest.mark.parametrize("pattern", [(0, 1, 1, 2), (1, 0, 2, 1), (1, 2, 0, 1), (2, 1, 1, 0)])
def test_all_orders_of_the_bayer_array_show_the_same_picture(
    pattern: tuple[int, ...], tmp_path: Path
) -> None:
    camera = shots.photograph("astronaut.png", reduced=False)[:301, :403] * shots.NEUTRAL.astype(np.float32)
    reference = None
    for name, order in (("first", (0, 1, 1, 2)), ("other", pattern)):
        counts = _levels(shots.mosaic_of(camera, np.array(order).reshape(2, 2)).data)
        path = _dng(tmp_path / f"{name}.dng", counts, _CFA, *_cfa_tags(2, bytes(order)))
        shown = _shown(path)
        assert shown.shape == (301, 403, 3)
        if reference is not None:
            assert np.abs(shown - reference).mean() < 4  # colours in wrong places differ by tens
        reference = shown


def test_a_reduced_size_raw_is_developed_at_its_own_size(tmp_path: Path) -> None:
    """Reduced-size raws hold three samples for every pixel; the DNG specification stores them as linear raws."""
    camera = np.full((300, 400, 3), 0.3, np.float32) * shots.NEUTRAL.astype(np.float32)
    small = _dng(tmp_path / "small.dng", _levels(camera)[::2, ::2].copy(), _LINEAR_RAW)
    loaded = FileSource(small).load()
    assert loaded.entry == CAMERA and loaded.extent == (150, 200)
    whole = _dng(tmp_path / "whole.dng", _levels(camera), _LINEAR_RAW)
    np.testing.assert_array_equal(_shown(small)[10, 10], _shown(whole)[20, 20])
