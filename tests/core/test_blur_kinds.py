"""Blur of every kind: polygons, paths, what differs over the frame, what is wanted; and what a lens leaves."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots
from scipy import special
from scipy.signal import fftconvolve

from irvane.cli import main
from irvane.core.acutance.blur_cause import Cause
from irvane.core.acutance.blurs import Blur, kernel_of, path_of
from irvane.core.acutance.diffraction import diffraction
from irvane.core.acutance.edge_blur import find_edges
from irvane.core.acutance.intentional_blur import judged, softness_map
from irvane.core.acutance.learned import restore
from irvane.core.acutance.lens_blur import measure_lens
from irvane.core.acutance.paths import kernel_from, likeness, path_from
from irvane.core.errors import Cancelled, SettingError
from irvane.core.files.info import FrameInfo
from irvane.core.files.remembered import keep_softness, kept_softness
from irvane.core.lens.optics import Optics
from irvane.core.lens.profile import pixel_pitch
from irvane.core.line.camera import camera_light
from irvane.core.line.context import measure_softness
from irvane.core.line.deblurring import blur_of
from irvane.core.line.develop import develop
from irvane.core.line.realise import realise
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

_HAND = path_of(np.array([(0, 0), (3, 1), (5, 4), (6, 9), (5, 12)]))
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def _moved(blur: Blur, name: str = "chelsea.png") -> np.ndarray:
    light = shots.photograph(name, reduced=False) @ _LUMINANCE
    return np.asarray(fftconvolve(light, kernel_of(blur), mode="valid"), np.float32)


def test_a_polygon_has_the_area_of_its_disc_and_its_corners() -> None:
    kernel = kernel_of(Blur("defocus", 8, 0, blades=6))
    area = kernel.sum() / kernel.max()
    assert area == pytest.approx(np.pi * 64, rel=0.03)
    # corners of a regular hexagon of that area lie at 1.0996 radii, its sides at 0.952
    half = kernel.shape[0] // 2
    row, column = kernel[half] > 0.5 * kernel.max(), kernel[:, half] > 0.5 * kernel.max()
    assert row.sum() == pytest.approx(2 * 8.8, abs=1.5) and column.sum() == pytest.approx(2 * 7.6, abs=1.5)


def test_a_path_has_the_moments_of_its_points_and_is_centred() -> None:
    kernel = kernel_of(_HAND)
    at = np.arange(kernel.shape[0]) - kernel.shape[0] // 2
    assert kernel.sum() == pytest.approx(1, abs=1e-5)
    assert abs(kernel.sum(axis=0) @ at) < 0.02 and abs(kernel.sum(axis=1) @ at) < 0.02
    assert _HAND.size == pytest.approx(np.hypot(5, 12), abs=0.1)
    straight, bent = (
        Blur("motion", 12, 30),
        path_of(np.outer([-0.5, 0, 0.5], 12 * np.array([np.cos(np.pi / 6), 0.5]))),
    )
    assert likeness(kernel_of(straight), kernel_of(bent)) > 0.99


def test_a_roll_moves_the_corners_and_not_the_middle() -> None:
    blur = Blur("motion", 4, 0, turn=0.5)
    middle, corner = blur.at(500, 750, (1000, 1500)), blur.at(0, 750, (1000, 1500))
    assert middle.size == pytest.approx(4, abs=0.3)
    # half a degree at 500 pixels above the middle: 4.4 pixels to the right
    assert corner.size == pytest.approx(4 + 500 * np.radians(0.5), abs=0.5)
    lens = Blur("lens", 0.5, corner=1.5)
    assert lens.at(500, 750, (1000, 1500)).size == pytest.approx(0.5, abs=0.03)
    assert lens.at(0, 0, (1000, 1500)).size == pytest.approx(1.5, abs=0.03)


def test_diffraction_is_that_of_an_airy_pattern_on_the_pixels_of_the_sensor() -> None:
    """Intensity of the Airy pattern: (2·J1(v)/v)², v = πr/(λN) (Born & Wolf, Principles of Optics, 8.5.2)."""
    r = np.linspace(1e-3, 8, 8000)
    airy = (2 * special.j1(np.pi * r) / (np.pi * r)) ** 2
    off = [float((r * (airy - np.exp(-((r / s) ** 2) / 2)) ** 2).sum()) for s in np.arange(0.3, 0.6, 0.01)]
    nearest = 0.3 + 0.01 * int(np.argmin(off))
    assert diffraction(16, 4.0) == pytest.approx(nearest * 0.555 * 16 / 4.0, rel=0.02)
    # 36×24 mm, 6000×4000 pixels: 6 µm; half its diagonal: half of that
    full = Optics(focal=50, focal_full=50, aperture=16)
    assert pixel_pitch(full, (4000, 6000)) == pytest.approx(6.0, rel=0.01)
    assert pixel_pitch(replace(full, focal=25), (4000, 6000)) == pytest.approx(3.0, rel=0.01)
    assert pixel_pitch(Optics(focal=50, aperture=16), (4000, 6000)) is None
    assert "diffraction alone makes 0.6 px" in Cause("lens", 0.9, Blur("lens", 1.0), diffraction=0.62).words()


def test_the_path_of_a_hand_is_found_in_the_frame() -> None:
    moved = np.sqrt(np.maximum(_moved(_HAND, "motorcycle_left.png"), 0))
    parts = [np.ascontiguousarray(moved[:400, :400]), np.ascontiguousarray(moved[-400:, -400:])]
    assert likeness(kernel_from(parts[1]), kernel_of(_HAND)) > 0.8
    with pytest.raises(Cancelled):
        path_from(parts, lambda done: done < 0.1)
    shares: list[float] = []
    found = path_from(parts, lambda done: shares.append(done) is None)
    assert shares == sorted(shares) and 0.5 < shares[-1] < 1
    assert found is not None and found.likeness > 0.85
    assert likeness(kernel_of(found.blur), kernel_of(_HAND)) > 0.9
    even = np.full((400, 400), 0.4, np.float32)
    assert path_from([even, even]) is None, "nothing is told of nothing"


def test_the_network_goes_on_from_the_splitting_and_stays_near_it() -> None:
    from irvane.core.acutance.deconvolve import deconvolve

    blur, rng = Blur("defocus", 4), np.random.default_rng(2)
    moved = _moved(blur, "astronaut.png")
    level = float(moved.mean())
    seen = (moved + rng.normal(0, 0.004, moved.shape).astype(np.float32)) / level
    half = kernel_of(blur).shape[0] // 2
    truth = (shots.photograph("astronaut.png", reduced=False) @ _LUMINANCE)[half:-half, half:-half] / level

    def off(found: np.ndarray) -> float:
        return float(np.sqrt(np.mean((np.sqrt(np.maximum(found, 0)) - np.sqrt(truth))[24:-24, 24:-24] ** 2)))

    classical, learned = deconvolve(seen, blur, 0.004 / level), restore(seen, blur, 0.004 / level)
    assert off(learned) < off(classical) < off(seen)
    even = np.full((96, 96), 1.0, np.float32)
    assert np.abs(restore(even, blur, 0.02) - 1).max() < 0.03


def test_a_frame_that_moved_along_a_path_and_rolled_comes_nearer_to_what_was_there() -> None:
    light = shots.photograph("astronaut.png", reduced=False) * 0.8
    blur = replace(_HAND, turn=0.4)
    extent = light.shape[0], light.shape[1]
    h, w = extent
    total = np.zeros_like(light)
    points, angles = np.array(_HAND.path), np.linspace(-0.2, 0.2, 65)
    dense = np.stack(
        [np.interp(np.linspace(0, 1, 65), np.linspace(0, 1, len(points)), points[:, k]) for k in (0, 1)],
        axis=1,
    )
    for (x, y), angle in zip(
        dense, angles, strict=True
    ):  # what a camera does: it turns about its middle, and moves
        turn = cv2.getRotationMatrix2D((w / 2, h / 2), -float(angle), 1.0)
        turn[:, 2] += (x, y)
        total += cv2.warpAffine(light, turn, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    seen = np.ascontiguousarray(np.clip(total / 65, 0, 1) * shots.NEUTRAL.astype(np.float32))
    plain = Settings().with_values({"lens.aberration": "off", "acutance.automatic": "off"})
    with_path = plain.with_values(
        {"acutance.deblur": "motion", "acutance.path": _HAND.path, "acutance.roll": 0.4}
    )
    assert blur_of(with_path.acutance, None) == replace(
        blur,
        size=blur_of(with_path.acutance, None).size,
        angle=blur_of(with_path.acutance, None).angle,
        path=_HAND.path,
    )  # type: ignore[union-attr]
    whole = OutputRegion(0, 0, *extent)
    truth = light * shots.NEUTRAL.astype(np.float32)

    def off(settings: Settings) -> float:
        developed, context = realise(shots.loaded(seen, 200), settings)
        made = trim(camera_light(developed, settings, context, whole), whole).pixels
        return float(np.sqrt(np.mean((np.sqrt(np.maximum(made, 0)) - np.sqrt(truth))[40:-40, 40:-40] ** 2)))

    without_roll = with_path.with_value("acutance.roll", 0.0)
    best, flat, before = off(with_path), off(without_roll), off(plain)
    assert best < 0.75 * before and best < flat


def test_a_lens_is_measured_and_kept(tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:900, :1200].astype(np.float32)
    share = ((y - 450) ** 2 + (x - 600) ** 2) / (450**2 + 600**2)
    sharp = np.zeros((900, 1200), np.float32)
    for _ in range(500):
        centre = tuple(int(v) for v in rng.integers(0, (1200, 900)))
        cv2.circle(sharp, centre, int(rng.integers(12, 40)), float(rng.uniform(0.1, 0.9)), -1, cv2.LINE_AA)
    # a blur that grows: blended between Gaussians, σ² even in the square of the distance
    levels = [
        cv2.GaussianBlur(sharp, (0, 0), float(np.sqrt(0.72**2 + 0.6**2 + (1.6**2 - 0.6**2) * s)))
        for s in np.linspace(0, 1, 9)
    ]
    place = np.clip(share * 8, 0, 7.999)
    low = place.astype(int)
    stack = np.stack(levels)
    at = np.arange(900)[:, None], np.arange(1200)[None]
    plane = stack[low, *at] * (1 - (place - low)) + stack[low + 1, *at] * (place - low)
    found = measure_lens([(find_edges(plane.astype(np.float32), 1e-3), (900, 1200))])
    assert found is not None
    assert found.middle == pytest.approx(0.6, abs=0.2) and found.corner == pytest.approx(1.6, abs=0.25)
    assert measure_lens([(find_edges(np.zeros((200, 200), np.float32), 1e-3), (200, 200))]) is None
    info = FrameInfo("Irvane", "Reference", "Test 35", focal=35.0, aperture=4.0)
    keep_softness(info, (found.middle, found.corner))
    assert kept_softness(info) == (found.middle, found.corner)
    assert kept_softness(replace(info, aperture=8.0)) is None, "another aperture is another softness"
    keep_softness(info, None)
    assert kept_softness(info) is None


def _judged(mask: np.ndarray, blur: Blur) -> Cause:
    light = cv2.resize(
        shots.photograph("astronaut.png", reduced=False), (1024, 1024), interpolation=cv2.INTER_CUBIC
    )
    crisp = np.clip(light + 1.5 * (light - cv2.GaussianBlur(light, (0, 0), 1.5)), 0, 1) * 0.8
    soft = cv2.filter2D(crisp, -1, kernel_of(blur), borderType=cv2.BORDER_REFLECT_101)
    made = soft + mask[..., None] * (crisp - soft)
    return measure_softness(
        develop(
            shots.loaded(np.ascontiguousarray(made * shots.NEUTRAL.astype(np.float32))), Settings().sensor
        )
    )


def test_blur_that_is_wanted_is_told_and_left_alone() -> None:
    y, x = np.mgrid[:1024, :1024]
    subject = ((((x - 512) / 230) ** 2 + ((y - 480) / 330) ** 2) < 1).astype(np.float32)
    panned, shallow = _judged(subject, Blur("motion", 22, 4)), _judged(subject, Blur("defocus", 6))
    assert panned.blur is None and shallow.blur is None
    assert panned.wanted == "panning" and "22 px" in panned.words()
    assert shallow.wanted == "background" and shallow.cause == "none"
    all_moved = _judged(np.zeros_like(subject), Blur("motion", 15, 30))
    assert all_moved.cause == "motion" and not all_moved.wanted
    # a map alone: sharp at the left border, soft everywhere else
    found = np.full((12, 16), 3.0, np.float32)
    found[:, :2] = 0.5
    none = find_edges(np.zeros((256, 256), np.float32), 1e-3)
    beside = Cause("defocus", 0.8, Blur("defocus", 5))
    assert judged(Cause("unsure", 0.0), found, beside, none, (768, 1024)).wanted == "elsewhere"
    sharp = Cause("none", 0.8)
    assert judged(sharp, found, Cause("lens", 0.5, Blur("lens", 1.5)), none, (768, 1024)) == sharp
    assert softness_map(none, (256, 256)).shape == (4, 4)


def test_paths_are_settings_like_others() -> None:
    told = Settings().with_value("acutance.path", "0:0, 3:1.5,5:6")
    assert told.acutance.path == ((0, 0), (3, 1.5), (5, 6))
    assert Settings.from_dict(told.as_dict()) == told
    assert Settings().with_value("acutance.path", "none").acutance.path == ()
    for wrong in ("0:0", "0:0,1:x", "0:0,99:0", "0:0,0.1:0", [[0, 0], [float("nan"), 1]]):
        with pytest.raises(SettingError, match=r"acutance\.path"):
            Settings().with_value("acutance.path", wrong)


def test_the_command_line_looks_for_paths_and_measures_lenses(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    light = shots.photograph("astronaut.png", reduced=False) * 0.7
    moved = cv2.filter2D(light, -1, kernel_of(_HAND), borderType=cv2.BORDER_REFLECT_101)
    shots.dng(tmp_path / "moved.dng", moved)
    assert main(["path", str(tmp_path / "moved.dng")]) == 0
    words = capsys.readouterr().out
    assert "acutance.path=" in words or "no path" in words
    assert main(["path", str(tmp_path / "none.dng")]) == 1
    shots.dng(tmp_path / "sharp.dng", light)
    code = main(["lens-blur", str(tmp_path / "sharp.dng"), "--json"])
    told = capsys.readouterr()
    assert (code == 0 and "middle_px" in told.out) or "too few sharp edges" in told.err
    assert main(["lens-blur", str(tmp_path / "sharp.dng"), "--keep", "--forget"]) == 2
