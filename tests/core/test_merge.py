"""Merging against known light, OpenCV's merging and fusion."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.core.errors import MergeError, SettingError
from irvane.core.files.info import FrameInfo
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import DISPLAY, MERGED
from irvane.core.line.view import scene_patch
from irvane.core.merge.align import align, warp
from irvane.core.merge.fusion import fuse
from irvane.core.merge.hdr import merge
from irvane.core.merge.kinds import FUSION, JOIN
from irvane.core.merge.mean import mean
from irvane.core.merge.planning import dialled, plan_bracket, seconds_of
from irvane.core.merge.register import register
from irvane.core.merge.registration import Member, choose_reference, plan
from irvane.core.pixels.places import OutputRegion
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
    assert motion.matrix[:2, 2] == pytest.approx(shift, abs=0.35)
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


def test_fusion_of_files_is_a_source_too(frames: Path) -> None:
    paths = [frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)]
    keys = set()
    for kind in (FUSION, JOIN):
        source = MergeSource(paths, MergeOptions(kind))
        loaded = source.load()
        assert (
            loaded.entry == DISPLAY and loaded.picture is not None and loaded.picture.shape == (600, 900, 3)
        )
        assert np.isfinite(loaded.picture).all() and loaded.picture.max() <= 1.01
        keys.add(source.key)
    assert len(keys) == 2 and MergeSource(paths).key not in keys
    with pytest.raises(MergeError):
        MergeSource(paths[:1], MergeOptions(FUSION))


def _homography(
    shape: tuple[int, int], tilt: tuple[float, float], turn: float, shift: tuple[float, float]
) -> np.ndarray:
    """How a picture moves when the camera turns about three axes (degrees) and is shifted: pinhole, focal length = width."""
    h, w = shape
    k = np.array([[w, 0, w / 2], [0, w, h / 2], [0, 0, 1.0]])
    turned = cv2.Rodrigues(np.radians([tilt[0], 0, 0]))[0] @ cv2.Rodrigues(np.radians([0, tilt[1], 0]))[0]
    turned = turned @ cv2.Rodrigues(np.radians([0, 0, turn]))[0]
    matrix = np.array([[1, 0, shift[0]], [0, 1, shift[1]], [0, 0, 1]]) @ k @ turned @ np.linalg.inv(k)
    return matrix / matrix[2, 2]


@pytest.mark.parametrize(
    ("tilt", "turn", "shift", "ratio", "mover"),
    [((0.5, -0.3), 0, (5.3, -2.6), 0.25, False), ((0.3, 0.5), 2, (20, -14), 0.25, False), ((0.2, 0.1), 0.3, (4, 3), 0.25, True),
     ((0.2, 0.1), 0.5, (4, 3), 4.0, True)],
)  # fmt: skip
def test_frames_are_laid_on_each_other_whatever_the_hand_did(
    tilt, turn, shift, ratio: float, mover: bool
) -> None:  # type: ignore[no-untyped-def]
    big = cv2.resize(
        shots.photograph("coffee.png", reduced=False), None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC
    )
    light = (
        np.maximum(cv2.GaussianBlur(big, (0, 0), 0.7), 1e-4)
        @ np.array([0.2627, 0.678, 0.0593], np.float32)
        * 1.2
    )
    h, w = light.shape
    true = _homography((h, w), tilt, turn, shift)
    moved = cv2.warpPerspective(light, true, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    rng, noise = np.random.default_rng(1), shots.noise_of(400)
    if mover:  # a fifth of the frame goes its own way
        patch = cv2.GaussianBlur(
            np.abs(rng.normal(0.3, 0.15, (h // 2, w // 5))).astype(np.float32), (0, 0), 2
        )
        light[h // 4 : h // 4 + h // 2, w // 5 : w // 5 + w // 5] = patch
        moved[h // 4 : h // 4 + h // 2, w // 5 + 12 : w // 5 + 12 + w // 5] = patch

    def exposed(picture: np.ndarray, by: float) -> np.ndarray:
        signal = np.maximum(picture * by, 0)
        seen = rng.poisson(signal / noise.gain[1]) * noise.gain[1] + rng.normal(
            0, noise.read[1], signal.shape
        )
        return np.minimum(seen, 1).astype(np.float32)

    found = register(exposed(light, 1), exposed(moved, 1 / ratio), ratio, (noise.read[1],) * 2)
    y, x = np.mgrid[20 : h - 20 : 40, 20 : w - 20 : 40]
    places = np.stack([x.ravel(), y.ravel()], axis=1).astype(float)
    off = np.linalg.norm(found.places(places) - cv2.perspectiveTransform(places[None], true)[0], axis=1)
    assert np.quantile(off, 0.95) < 0.3


def test_a_tripod_s_frames_are_not_resampled_and_keep_their_borders() -> None:
    members = _members(_light())
    how = plan(members)
    assert all(motion.still for motion in how.motions)
    handheld = _members(_light(), ((0.0, 0.0), (0.0, 0.0), (3.4, -2.2)))
    how = plan(handheld)
    assert not how.motions[2].still
    merged = merge(handheld, how).picture
    light = _light()
    assert np.isfinite(merged).all()
    for rim in ((slice(0, 2), slice(30, -30)), (slice(30, -30), slice(-2, None))):
        off = np.abs(np.log2(np.maximum(merged[rim], 1e-5) / light[rim]))[
            (light[rim] > 0.02) & (light[rim] < 0.8)
        ]
        assert np.median(off) < 0.15, "no strip of missing frames"


def test_fine_structure_is_not_softened_by_frames_that_were_resampled() -> None:
    light = _light()
    hand = _members(light, ((2.5, 1.5), (0.0, 0.0), (-1.5, 2.5)))
    merged = merge(hand, plan(hand)).picture
    inner = (slice(24, -24), slice(24, -24))
    off = np.abs(np.log2(np.maximum(merged[inner], 1e-5) / light[inner]))
    slope = np.abs(cv2.Laplacian(np.log2(light[..., 1]), cv2.CV_32F))[inner]
    edges = (slope > np.quantile(slope, 0.9))[..., None] & (light[inner] > 0.004) & (light[inner] < 3)
    assert np.quantile(off[edges], 0.75) < 0.2, "stops"


def test_near_things_that_a_moved_camera_shifts_are_laid_by_themselves() -> None:
    far = shots.photograph("coffee.png", reduced=False)[:400, :600] * 0.7 + 0.02
    near = shots.photograph("chelsea.png", reduced=False)[:300, :451]
    near = cv2.resize(near, far.shape[1::-1]) * 0.6 + 0.02
    y, x = np.mgrid[: far.shape[0], : far.shape[1]]
    blob = ((x - 300) ** 2 + (y - 210) ** 2 < 110**2).astype(np.float32)
    members, noise = [], shots.noise_of(200)
    for k, (shutter, by) in enumerate(zip(SHUTTERS, (-5.0, 0.0, 4.0), strict=True)):
        move = np.array([[1, 0, by], [0, 1, 0.3 * by]], np.float32)
        back = np.array([[1, 0, -0.6 * by], [0, 1, 0.2 * by]], np.float32)
        ground = cv2.warpAffine(
            far, back, far.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101
        )
        light = ground * (1 - cv2.warpAffine(blob, move, far.shape[1::-1])[..., None])
        light = light + cv2.warpAffine(near * blob[..., None], move, far.shape[1::-1], flags=cv2.INTER_CUBIC)
        rng = np.random.default_rng(k)
        signal = np.maximum(light * np.float32(shutter * 50), 0)
        seen = rng.poisson(signal / noise.gain[1]) * noise.gain[1] + rng.normal(
            0, noise.read[1], signal.shape
        )
        info = FrameInfo(shutter=shutter, iso=200, aperture=4.0, taken=shots.WHEN + timedelta(seconds=k))
        members.append(Member(np.minimum(seen, 1).astype(np.float32), noise, info))
    how = plan(members)
    field = how.motions[0].field
    assert field is not None
    inside = cv2.resize(blob, field.shape[1::-1], interpolation=cv2.INTER_AREA) > 0.99
    there = field[inside] + how.motions[0].matrix[:2, 2]
    assert np.quantile(np.linalg.norm(there - (-5.0, -1.5), axis=1), 0.75) < 1.0, "pixels"
    assert np.quantile(np.abs(field[:40]), 0.95) < 0.5, "what the map explains is left to it"


def _walked(level: float = 0.10) -> tuple[list[Member], np.ndarray, np.ndarray]:
    """A bracket in which a textured figure walks over a textured ground, part of which clips; the light behind; where it is in
    the middle frame."""
    rng = np.random.default_rng(5)
    h, w = 360, 540
    ground = 0.22 + cv2.GaussianBlur(rng.normal(0, 0.35, (h, w, 3)).astype(np.float32), (0, 0), 2.5)
    ground[:, 380:] *= 6.0  # clips in the longer frames
    ground = np.maximum(ground, 0.02)
    figure = np.maximum(
        level + cv2.GaussianBlur(rng.normal(0, 0.25, (120, 60, 3)).astype(np.float32), (0, 0), 1.5), 0.01
    )
    noise, members, middle = shots.noise_of(400), [], np.zeros((h, w), bool)
    for k, (shutter, x) in enumerate(zip(SHUTTERS, (60, 190, 330), strict=True)):
        light = ground.copy()
        light[150:270, x : x + 60] = figure
        if k == 1:
            middle[150:270, x : x + 60] = True
        signal = light * np.float32(shutter * 50)
        seen = rng.poisson(signal / noise.gain[1]) * noise.gain[1] + rng.normal(
            0, noise.read[1], signal.shape
        )
        info = FrameInfo(shutter=shutter, iso=400, aperture=4.0, taken=shots.WHEN + timedelta(seconds=k))
        members.append(Member(np.minimum(seen, 1).astype(np.float32), noise, info))
    truth = ground.copy()
    truth[150:270, 190:250] = figure
    return members, truth, middle


@pytest.mark.parametrize("level", [0.10, 0.23])  # the second is near clipping in the longest frame
def test_a_figure_that_walks_appears_once_and_leaves_nothing_behind(level: float) -> None:
    members, truth, middle = _walked(level)
    how = plan(members)
    merged = merge(members, how)
    path = np.zeros(middle.shape, bool)
    path[150:270, 60:120] = path[150:270, 330:390] = True
    light, there = (cv2.blur(p.mean(axis=2), (9, 9)) for p in (merged.picture, truth))
    off = np.abs(light / there - 1)
    inside = cv2.erode(path.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool)
    assert np.quantile(off[inside], 0.95) < 0.05, "nothing of it is left in its path"
    body = cv2.erode(middle.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool)
    assert np.quantile(off[body], 0.95) < 0.06, "and it is whole where the reference has it"
    still = ~cv2.dilate((path | middle).astype(np.uint8), np.ones((41, 41), np.uint8)).astype(bool)
    assert merged.replaced[still].mean() < 0.02, "98 % of what stands still is merged"
    none = merge(members, how, ghosts=0)
    assert not none.replaced.any()


def test_what_does_not_fit_is_named_and_the_rest_is_merged(frames: Path, tmp_path: Path) -> None:
    light = _light()
    members = [
        *_members(light),
        Member(light[:-8].copy(), shots.noise_of(400), FrameInfo(shutter=1 / 100, iso=400, aperture=4.0)),
    ]
    how = plan(members)
    assert how.used == (0, 1, 2) and "another size" in how.left_out[0][1]
    cut = tmp_path / "cut.dng"
    cut.write_bytes((frames / "furnace-hand-3.dng").read_bytes()[:200_000])
    paths = [frames / "furnace-hand-1.dng", frames / "furnace-hand-2.dng", cut]
    notes = " ".join(MergeSource(paths).load().notes)
    assert "Left out" in notes and "cut.dng" in notes and "From 2 frames" in notes
    with pytest.raises(SettingError, match="none of the frames"):
        MergeSource(paths, MergeOptions(reference="other.dng"))


def test_a_colour_that_clips_alone_does_not_pull_the_exposures() -> None:
    """The truth: shutter times of the simulated bracket."""
    rng = np.random.default_rng(8)
    ground = (
        0.2 + cv2.GaussianBlur(rng.normal(0, 0.3, (360, 540, 1)).astype(np.float32), (0, 0), 3)[..., None]
    )
    light = np.maximum(ground, 0.02) * np.array([1.6, 0.8, 0.6], np.float32)
    members = [
        Member(
            np.minimum(light * np.float32(s * 50), 1),
            shots.noise_of(400),
            FrameInfo(shutter=s, iso=400, aperture=4.0),
        )
        for s in SHUTTERS
    ]
    found = plan(members, aligns=False)
    assert found.ratios == pytest.approx([SHUTTERS[found.reference] / s for s in SHUTTERS], rel=0.01)


def test_unknown_exposures_are_estimated_from_the_pictures() -> None:
    members = [Member(m.picture, m.noise, FrameInfo()) for m in _members(_light())]
    how = plan(members)
    assert how.estimated and how.reference == 1
    assert np.log2(how.ratios) == pytest.approx((2, 0, -2), abs=0.1)


def test_a_burst_is_averaged_and_its_noise_falls_by_the_root_of_its_number() -> None:
    light, noise = np.full((200, 300, 3), 0.2, np.float32), shots.noise_of(3200)
    light += cv2.GaussianBlur(
        np.random.default_rng(0).normal(0, 0.4, light.shape).astype(np.float32), (0, 0), 6
    )
    light = np.maximum(light, 0.02)
    members = []
    for k in range(4):
        rng = np.random.default_rng(k)
        seen = rng.poisson(light / noise.gain[1]) * noise.gain[1] + rng.normal(0, noise.read[1], light.shape)
        members.append(
            Member(seen.astype(np.float32), noise, FrameInfo(shutter=1 / 50, iso=3200, aperture=4.0))
        )
    with pytest.raises(MergeError, match="same exposure"):
        plan(members)
    how = plan(members, same_exposure=True)
    made = mean(members, how)
    one, four = (np.std((m - light)[40:-40, 40:-40]) for m in (members[0].picture, made.picture))
    assert one / four == pytest.approx(2, rel=0.08) and made.replaced.mean() < 0.01
    assert made.noise.gain[1] == pytest.approx(noise.gain[1] / 4)


def test_finished_pictures_are_laid_on_each_other_before_they_are_fused(tmp_path: Path) -> None:
    light = np.clip(shots.photograph("coffee.png", reduced=False) * 0.5, 0, 4).astype(np.float32)
    matrix = np.array([[1, 0, 7.0], [0, 1, -4.0]], np.float32)
    moved = cv2.warpAffine(
        light, matrix, light.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101
    )
    for name, picture in (("a", np.clip(light, 0, 1)), ("b", np.clip(moved * 4, 0, 1))):
        coded = np.rint(np.clip(picture, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
        cv2.imwrite(str(tmp_path / f"{name}.png"), coded[..., ::-1])
    loaded = MergeSource(
        [tmp_path / "a.png", tmp_path / "b.png"], MergeOptions(FUSION, reference="a.png")
    ).load()
    notes = " ".join(loaded.notes)
    assert "8." in notes and "Movement" not in notes, notes
    with pytest.raises(MergeError, match="finished picture"):
        MergeSource([tmp_path / "a.png", tmp_path / "b.png"])
    both = MergeSource([tmp_path / "a.png", tmp_path / "b.png"], MergeOptions(JOIN, reference="a.png")).load()
    assert both.picture is not None and np.isfinite(both.picture).all()


def test_movers_are_left_out_of_fusions_too(frames: Path) -> None:
    paths = [frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)]
    for kind, reference in ((FUSION, ""), (JOIN, "furnace-hand-1.dng")):
        notes = " ".join(MergeSource(paths, MergeOptions(kind, reference=reference)).load().notes)
        said = notes.split("Movement in ")[1]
        assert 2 < float(said.split("%")[0]) < 25, "the glassmaker moves, the room does not"
        assert (reference or "furnace-hand-2.dng") in said


def test_skies_do_not_turn_violet_in_a_fusion() -> None:
    sky = np.zeros((128, 192, 3), np.float32) + np.array([0.25, 0.45, 0.85], np.float32)
    sky *= np.linspace(0.7, 1.3, 192, dtype=np.float32)[None, :, None]
    shown = [np.clip(sky**2.2 * ev, 0, 1) ** (1 / 2.2) for ev in (0.0625, 1.0, 16.0)]
    fused = fuse([s.astype(np.float32) for s in shown])
    middle = fused[40:-40, 40:-40]
    assert (middle[..., 1] > middle[..., 0] + 0.02).all(), "green stays above red: it is a blue, not a violet"


def test_a_bracket_is_planned() -> None:
    made = plan_bracket(1 / 60, 2, 3, 100, stabiliser=2, scene=15)
    assert made.times == pytest.approx((1 / 240, 1 / 60, 1 / 15)) and made.by_hand == (True, True, False)
    assert made.longest == pytest.approx(4 / 100)  # common practice: one over the focal length
    assert made.needed == 4 and "take more" in made.words()
    # a dial has 1/250 and 1/15 where the stops give 1/240 and 1/15 (common practice)
    assert [one["shutter"] for one in made.as_dict()["frames"]] == ["1/250 s", "1/60 s", "1/15 s"]
    assert dialled(1 / 1024) == 1 / 1000 and dialled(60) == 60 and dialled(1 / 60) == 1 / 60
    assert seconds_of("1/250") == pytest.approx(0.004) and seconds_of("2s") == 2
    for text in ("fast", "1/0", "-3", "nan"):
        with pytest.raises(SettingError):
            seconds_of(text)
    with pytest.raises(SettingError):
        plan_bracket(1, 9, 3, 50)
