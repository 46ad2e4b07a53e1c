"""Merging against known light, OpenCV's merging and fusion."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.core.errors import MergeError
from irvane.core.files.info import FrameInfo
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.merging import MergeSource, fuse_files
from irvane.core.line.source import MERGED
from irvane.core.line.view import scene_patch
from irvane.core.merge.align import align, warp
from irvane.core.merge.fusion import fuse
from irvane.core.merge.hdr import Member, choose_reference, merge, plan
from irvane.core.places import OutputRegion
from irvane.core.settings import Settings, bare

SHUTTERS = (1 / 200, 1 / 50, 1 / 12.5)


def _light() -> np.ndarray:
    """Camera light of eleven stops: a dark and a bright half of a photograph, 1 = clip of the middle exposure."""
    picture = shots.photograph("astronaut.png", reduced=False)
    x = np.linspace(-4.5, 2.5, picture.shape[1], dtype=np.float32)
    return np.maximum(picture * np.exp2(x)[None, :, None], 1e-5) * shots.NEUTRAL.astype(np.float32)


def _members(
    light: np.ndarray, shifts: tuple[tuple[float, float], ...] = ((0, 0),) * 3, iso: float = 400
) -> list[Member]:
    noise, members = shots.noise_of(iso), []
    for k, shutter in enumerate(SHUTTERS):
        matrix = np.array([[1, 0, shifts[k][0]], [0, 1, shifts[k][1]]], np.float32)
        moved = cv2.warpAffine(
            light, matrix, light.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101
        )
        rng = np.random.default_rng(k)
        signal = np.maximum(moved * np.float32(shutter * 50), 0)
        seen = rng.poisson(signal / noise.gain[1]) * noise.gain[1] + rng.normal(
            0, noise.read[1], signal.shape
        )
        info = FrameInfo(shutter=shutter, iso=iso, aperture=4.0, taken=shots.WHEN + timedelta(seconds=k))
        members.append(Member(np.minimum(seen, 1).astype(np.float32), noise, info))
    return members


def test_merged_light_is_the_light_that_was_there() -> None:
    light = _light()
    members = _members(light)
    how = plan(members)
    assert how.reference == choose_reference([m.info for m in members]) == 1
    assert how.ratios == pytest.approx((4, 1, 0.25), rel=0.01)
    merged = merge(members, how).picture
    inner = (slice(8, -8), slice(8, -8))
    error = np.abs(np.log2(np.maximum(merged[inner], 1e-6) / light[inner]))
    # below the clip of the shortest exposure, above where read noise is all there is
    held = (light[inner] < 3.8) & (light[inner] > 0.004)
    assert np.median(error[held]) < 0.03
    assert np.mean(error[held] > 0.5) < 0.02
    bright = held & (light[inner] > 1.05)
    assert np.median(error[bright]) < 0.03


def test_noise_weighting_beats_the_longest_frame_and_opencv() -> None:
    # Debevec & Malik 1997 in OpenCV, given a straight response, on 8 bits as it takes them
    light = _light()
    members = _members(light)
    merged = merge(members, plan(members)).picture
    dark = np.zeros(light.shape, bool)
    dark[8:-8, 8:250] = True
    dark &= (light < 0.2) & (light > 0.004)

    def error(picture: np.ndarray) -> float:
        return float(np.sqrt(np.mean((picture[dark] / light[dark] - 1) ** 2)))

    longest = members[2].picture * 0.25
    eight = [np.clip(m.picture * 255, 0, 255).astype(np.uint8) for m in members]
    response = np.repeat(np.arange(256, dtype=np.float32)[:, None, None], 3, axis=2)
    debevec = cv2.createMergeDebevec().process(eight, np.array(SHUTTERS, np.float32), response)
    debevec *= np.median(light[dark] / np.maximum(debevec[dark], 1e-9))
    assert error(merged) < error(longest)
    assert error(merged) < error(debevec)


@pytest.mark.parametrize("shift", [(5.3, -2.6), (-14.0, 9.5)])
def test_shifts_are_found_to_a_fraction_of_a_pixel(shift: tuple[float, float]) -> None:
    light = _light()
    members = _members(light, ((0, 0), (0, 0), shift))
    weights = np.array([0.2627, 0.678, 0.0593], np.float32)
    luminance = [np.ascontiguousarray(m.picture @ weights) for m in members]
    motion = align(luminance[1], luminance[2], 0.25)
    assert motion.matrix[:, 2] == pytest.approx(shift, abs=0.35)
    back = warp(members[2].picture, motion)
    assert np.isnan(back).any(), "outside the frame nothing is invented"


def test_movement_is_taken_from_the_reference_alone() -> None:
    light = _light()
    light[:] = 0.2
    light += cv2.GaussianBlur(
        np.random.default_rng(0).normal(0, 0.05, light.shape).astype(np.float32), (0, 0), 3
    )
    light = np.maximum(light, 0.01)
    members = _members(light)
    for k, place in enumerate((100, 220, 340)):
        members[k].picture[200:260, place : place + 50] = 0.02 * SHUTTERS[k] / SHUTTERS[1]
    merged = merge(members, plan(members))
    ghost = merged.picture[210:250, 105:145] / light[210:250, 105:145]
    assert np.abs(np.log2(np.median(ghost))) < 0.15
    there = merged.picture[210:250, 225:265]
    assert np.median(there) == pytest.approx(0.02, rel=0.3)
    assert merged.replaced[210:250, 105:145].mean() > 0.9


def test_what_cannot_be_merged_is_said(frames: Path) -> None:
    members = _members(_light())
    with pytest.raises(MergeError, match="two"):
        plan(members[:1])
    with pytest.raises(MergeError, match="size"):
        plan([members[0], Member(members[1].picture[:-8], members[1].noise, members[1].info)])
    with pytest.raises(MergeError, match="same exposure"):
        plan([members[0], members[0]])
    with pytest.raises(MergeError, match="shutter"):
        plan([members[0], Member(members[1].picture, members[1].noise, FrameInfo())])
    with pytest.raises(MergeError):
        MergeSource([frames / "test-card.dng"])


def test_a_merge_is_a_source_like_any_other(frames: Path) -> None:
    source = MergeSource([frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)])
    shares: list[float] = []
    loaded = source.load(lambda share: shares.append(share) is None)
    assert shares == sorted(shares)
    assert shares[-1] > 0.9
    assert loaded.entry == MERGED
    assert loaded.picture is not None
    assert loaded.picture.max() > 1.5, "light beyond the reference's clip is kept"
    assert any("3 frames" in note for note in loaded.notes)
    developed = develop(loaded, Settings().sensor)
    assert developed.denoised is not None
    context = make_context(developed)
    assert context.guide.peak > 2
    whole = OutputRegion(0, 0, *developed.extent, step=2)
    bare_light, light = (scene_patch(developed, one, context, whole).pixels for one in (bare(), Settings()))
    brightest = np.unravel_index(light[..., 0].argmax(), light.shape[:2])
    # nothing of a merge is cut at 1
    np.testing.assert_allclose(bare_light[brightest], light[brightest], rtol=0.05)
    assert source.key != MergeSource([frames / f"furnace-hand-{k}.dng" for k in (1, 2)]).key


def test_fusion_is_near_opencvs_mertens() -> None:
    light = np.clip(_light() / shots.NEUTRAL, 0, None).astype(np.float32)
    shown = [np.clip(light * ev, 0, 1) ** (1 / 2.2) for ev in (0.25, 1.0, 4.0)]
    ours = fuse([s.astype(np.float32) for s in shown])
    theirs = cv2.createMergeMertens().process([np.rint(s * 255).astype(np.uint8) for s in shown])
    assert np.corrcoef(ours.ravel(), np.clip(theirs, 0, 1).ravel())[0, 1] > 0.95
    assert 0 <= ours.min() <= ours.max() <= 1
    same = fuse([shown[1].astype(np.float32)] * 2)
    assert np.abs(same - shown[1]).max() < 1e-3


def test_fusion_of_files(frames: Path) -> None:
    fused = fuse_files([frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)])
    assert fused.shape == (600, 900, 3)
    assert np.isfinite(fused).all()
    with pytest.raises(MergeError):
        fuse_files([frames / "furnace-hand-1.dng"])
