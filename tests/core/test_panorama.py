"""Panoramas of positions that are views of one plane by a turned camera: the truth is the plane itself."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.core.errors import Cancelled, MergeError
from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.line import stitching
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import MERGED
from irvane.core.merge.kinds import PANORAMA
from irvane.core.merge.layout import Position, lay_out
from irvane.core.merge.panorama import largest_rectangle, stitch
from irvane.core.simulate.camera import expose, quiet
from irvane.core.simulate.demo import BODY_A
from irvane.core.store.cache import ResultCache

_PLANE, _VIEW = (1000, 1500), (360, 540)
_FOCAL = 900.0


def _plane() -> np.ndarray:
    """Light with a grid of thin lines: twelve stops from side to side."""
    picture = cv2.resize(
        shots.photograph("coffee.png", reduced=False), _PLANE[::-1], interpolation=cv2.INTER_CUBIC
    )
    picture = (
        np.maximum(picture, 0.004)
        * np.exp2(np.linspace(-2.0, 2.5, _PLANE[1], dtype=np.float32))[None, :, None]
    )
    picture[::125] *= 0.3
    picture[:, ::125] *= 0.3
    return cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 1.1)


def _views(plane: np.ndarray, shifted: bool = False) -> list[np.ndarray]:
    h, w = _VIEW
    there = np.array([[1650.0, 0, _PLANE[1] / 2], [0, 1650.0, _PLANE[0] / 2], [0, 0, 1]])
    own = np.array([[_FOCAL, 0, w / 2], [0, _FOCAL, h / 2], [0, 0, 1]])
    rng, views = np.random.default_rng(3), []
    for pitch in (-5.5, 5.5):
        for yaw in (-11, 0, 11):
            if shifted:
                move = np.array(
                    [
                        [1650 / _FOCAL, 0, 560 + 30 * yaw - w],
                        [0, 1650 / _FOCAL, 340 + 32 * pitch - h / 2],
                        [0, 0, 1.0],
                    ]
                )
                matrix = move
            else:
                a, b, c = np.radians(
                    [pitch + rng.normal(0, 0.4), yaw + rng.normal(0, 0.4), rng.normal(0, 0.5)]
                )
                turn = (
                    cv2.Rodrigues(np.array([0, b, 0]))[0]
                    @ cv2.Rodrigues(np.array([a, 0, 0]))[0]
                    @ cv2.Rodrigues(np.array([0, 0, c]))[0]
                )
                matrix = there @ turn @ np.linalg.inv(own)
            flags = cv2.INTER_AREA | cv2.WARP_INVERSE_MAP
            views.append(
                cv2.warpPerspective(plane, matrix, (w, h), flags=flags, borderMode=cv2.BORDER_REFLECT_101)
            )
    return views


@pytest.mark.parametrize("shifted", [False, True], ids=["turned", "shifted"])
def test_positions_are_laid_out_evened_and_blended(shifted: bool) -> None:
    plane = _plane()
    views = _views(plane, shifted)
    rng = np.random.default_rng(1)
    gains = 2.0 ** rng.normal(0, 0.08, len(views))
    h, w = _VIEW
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    away = ((x - w / 2) ** 2 + (y - h / 2) ** 2) / ((w / 2) ** 2 + (h / 2) ** 2)
    dimmed = np.exp2(-0.7 * away)[..., None]  # what the lens takes from its corners
    positions = [
        Position((v * g * dimmed + rng.normal(0, 0.0015, v.shape)).astype(np.float32), f"p{k}")
        for k, (v, g) in enumerate(zip(views, gains, strict=True))
    ]
    layout = lay_out(positions, "planar" if shifted else "rectilinear")
    assert layout.used == tuple(range(6)) and not layout.left_out
    made, have = stitch(positions, layout)
    assert have.all(), "cut to what is whole"
    # the plane, laid on the result by contours of both: what is left is error of the panorama, not of its place
    sift = cv2.SIFT_create()
    grey = [
        np.clip(np.log2(np.maximum(p.mean(axis=2), 1e-4)) * 22 + 200, 0, 255).astype(np.uint8)
        for p in (made, plane)
    ]
    (ka, da), (kb, db) = (sift.detectAndCompute(g, None) for g in grey)
    matches = [m for m, n in cv2.BFMatcher().knnMatch(da, db, k=2) if m.distance < 0.7 * n.distance]
    a, b = np.float32([ka[m.queryIdx].pt for m in matches]), np.float32([kb[m.trainIdx].pt for m in matches])
    matrix, good = cv2.findHomography(a, b, cv2.USAC_MAGSAC, 1.5)
    assert good.sum() > 60
    kept = good.ravel().astype(bool)
    off = np.linalg.norm(cv2.perspectiveTransform(a[kept][None], matrix)[0] - b[kept], axis=1)
    scale = np.sqrt(abs(np.linalg.det(matrix[:2, :2])))
    assert np.quantile(off, 0.9) / scale < 1.0, "a plane stays a plane: straight to a pixel"
    truth = cv2.warpPerspective(plane, np.linalg.inv(matrix), made.shape[1::-1], flags=cv2.INTER_AREA)
    inner = (slice(24, -24), slice(24, -24))
    small = [
        cv2.resize(p[inner], None, fx=1 / 32, fy=1 / 32, interpolation=cv2.INTER_AREA) for p in (made, truth)
    ]
    held = small[1].min(axis=2) > 0.01
    apart = np.log2(small[0].mean(axis=2)[held] / small[1].mean(axis=2)[held])
    apart -= np.median(apart)
    assert np.quantile(np.abs(apart), 0.9) < 0.06, "no position is brighter, no corner darker than the others"


def test_what_does_not_overlap_is_named() -> None:
    views = _views(_plane())
    other = np.random.default_rng(0).random(views[0].shape).astype(np.float32)
    positions = [Position(v, f"p{k}") for k, v in enumerate([*views[:3], other])]
    layout = lay_out(positions)
    assert layout.left_out == ("p3",) and layout.used == (0, 1, 2)
    with pytest.raises(MergeError, match="overlap"):
        lay_out([positions[0], positions[3]])
    with pytest.raises(MergeError, match="two"):
        lay_out(positions[:1])


def test_a_blank_wall_is_laid_out_by_places_set_by_hand() -> None:
    h, w = _VIEW
    wall = np.full((h, 2 * w, 3), 0.3, np.float32)
    wall += np.linspace(0, 0.1, 2 * w, dtype=np.float32)[None, :, None]
    positions = [Position(wall[:, :w].copy(), "a"), Position(wall[:, w - 200 : 2 * w - 200].copy(), "b")]
    with pytest.raises(MergeError):
        lay_out(positions, "planar")
    places = ((w - 150, 60), (w - 40, 90), (w - 100, 300))
    by_hand = [("a", x / w, y / h, "b", (x - (w - 200)) / w, y / h) for x, y in places]
    layout = lay_out(positions, "planar", points=[*by_hand, ("a", 0.5, 0.5, "no such", 0.5, 0.5)])
    made, _ = stitch(positions, layout, "keep")
    assert abs(made.shape[1] - (2 * w - 200)) <= 4 and abs(made.shape[0] - h) <= 4
    middle = made[20:-20, 20 : 2 * w - 240]
    np.testing.assert_allclose(middle.mean(axis=(0, 2)), wall[20:-20, 20 : 2 * w - 240].mean(axis=(0, 2))[: middle.shape[1]], rtol=0.02)  # fmt: skip


def test_the_largest_rectangle_is_found() -> None:
    mask = np.zeros((60, 90), bool)
    mask[5:50, 10:80] = True
    mask[30:50, 60:80] = False
    top, left, bottom, right = largest_rectangle(mask)
    assert (top, left, bottom, right) == (5, 10, 50, 60)


def test_brackets_of_positions_become_one_panorama_that_goes_on_where_it_was_ended(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    views = _views(_plane())[:3]
    neutral, when, paths = np.array([0.5, 1.0, 0.66]), shots.WHEN, []
    for k, view in enumerate(views):
        for n, ev in enumerate((-2, 0, 2)):
            counts = expose(
                view,
                quiet(BODY_A),
                iso=100,
                exposure=0.7 * 2.0**ev,
                neutral=neutral,
                rng=np.random.default_rng(10 * k + n),
            )
            shown = np.rint(np.clip(view * 2.0**ev, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
            jpeg = cv2.imencode(".jpg", shown[..., ::-1])[1].tobytes()
            path = tmp_path / f"p{k}-{n}.dng"
            info = FrameInfo(
                "Irvane", BODY_A.model, "", 2.0**ev / 50, 4.0, 100, 35.0, when + timedelta(seconds=60 * k + n)
            )
            write_dng(
                path, counts, BODY_A.cfa, black=BODY_A.black, white=BODY_A.white,
                colour=DngColour(BODY_A.matrix_a, BODY_A.matrix_d65, neutral), info=info,
                noise_profile=BODY_A.noise_profile(100), preview_jpeg=jpeg, preview_shape=shown.shape[:2],
            )  # fmt: skip
            paths.append(path)
    monkeypatch.setattr(stitching, "ResultCache", lambda: ResultCache(tmp_path / "kept"))
    straight = MergeSource(paths, MergeOptions(PANORAMA)).load().picture
    for one in (tmp_path / "kept").iterdir():
        one.unlink()
    with pytest.raises(Cancelled):  # ended when two of three positions are made
        MergeSource(paths, MergeOptions(PANORAMA)).load(lambda share: share < 0.55)
    kept = {one.name: one.stat().st_mtime_ns for one in (tmp_path / "kept").iterdir()}
    assert len(kept) >= 4, "light and facts of two positions"
    loaded = MergeSource(paths, MergeOptions(PANORAMA)).load()
    assert np.array_equal(loaded.picture, straight), "going on gives the same pixels"
    assert loaded.entry == MERGED and loaded.picture is not None
    assert "3 positions" in " ".join(loaded.notes)
    assert loaded.picture.shape[1] > 1.3 * _VIEW[1] and loaded.picture.max() > 1.2, (
        "light above the clip of one frame"
    )
