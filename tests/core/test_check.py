"""Trying files: what is right passes, what is wrong is named."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
import shots
import tifffile

from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER
from irvane.core.judge.check import check_file
from irvane.core.simulate.camera import Body, expose, quiet


def _frame(
    path: Path, *, black: int = 512, shape: tuple[int, int] | None = None, turned: bool = False
) -> None:
    """A frame whose preview shows it, or shows something else."""
    light = shots.photograph("astronaut.png")
    body = quiet(Body("Reference"))
    rng = np.random.default_rng(0)
    counts = expose(light, body, iso=100, exposure=0.8, neutral=shots.NEUTRAL, rng=rng)
    shown = (np.clip(light, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
    shown = cv2.resize(
        np.rot90(shown, 2) if turned else shown, shape or (96, 96), interpolation=cv2.INTER_AREA
    )
    jpeg = cv2.imencode(".jpg", shown[..., ::-1])[1].tobytes()
    write_dng(
        path, counts, BAYER, black=black, white=body.white, colour=DngColour(body.matrix_a, body.matrix_d65, shots.NEUTRAL),
        info=FrameInfo("Irvane", "Reference", "", 0.01, 4.0, 100.0, 35.0, shots.WHEN, 0.0),
        noise_profile=body.noise_profile(100), preview_jpeg=jpeg, preview_shape=shown.shape[:2],
    )  # fmt: skip


def test_good_frames_pass(demo: Path) -> None:
    for path in sorted(demo.glob("*.dng")):
        found = check_file(path)
        assert found.problems == (), path.name
        assert found.kind == "mosaic"
        assert found.size[0] > found.size[1] > 100
        assert found.seconds > 0


@pytest.mark.parametrize(
    ("changes", "word"),
    [
        ({"turned": True}, "preview"),
        ({"shape": (96, 60)}, "shape"),
        ({"black": 2500}, "black level"),
    ],
)
def test_what_is_wrong_is_named(tmp_path: Path, changes: dict, word: str) -> None:
    good, bad = tmp_path / "good.dng", tmp_path / "bad.dng"
    _frame(good)
    _frame(bad, **changes)
    assert check_file(good).problems == ()
    problems = check_file(bad).problems
    assert len(problems) == 1
    assert word in problems[0]


def test_damaged_files_are_named_with_their_reason(tmp_path: Path) -> None:
    good = tmp_path / "good.dng"
    _frame(good)
    cut = tmp_path / "cut.dng"
    cut.write_bytes(good.read_bytes()[:-9000])
    assert "cut off" in check_file(cut).problems[0]
    empty = tmp_path / "empty.dng"
    empty.write_bytes(b"")
    assert "empty" in check_file(empty).problems[0]


def test_finished_pictures_are_tried_too(tmp_path: Path) -> None:
    path = tmp_path / "a.tif"
    tifffile.imwrite(path, np.full((40, 60, 3), 30_000, np.uint16), photometric="rgb")
    found = check_file(path)
    assert found.problems == ()
    assert found.size == (60, 40)
