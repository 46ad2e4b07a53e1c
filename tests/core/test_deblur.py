"""Deblurring: kernels against their moments, the method against scikit-image, and its place in the line."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots
from scipy.signal import fftconvolve
from skimage import data, restoration

from irvane.core.acutance.blur_cause import Cause, cause_of, mean_spectrum
from irvane.core.acutance.blurs import Blur, kernel_of
from irvane.core.acutance.deconvolve import deconvolve
from irvane.core.line import deblurring
from irvane.core.line.camera import camera_light
from irvane.core.line.context import Context, with_lens_measured
from irvane.core.line.deblurring import _held, blur_of
from irvane.core.line.develop import Developed
from irvane.core.line.realise import realise
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

PLAIN = Settings().with_values({"lens.aberration": "off"})
CAUSES = [
    (Blur("defocus", 4), {"acutance.deblur": "defocus", "acutance.radius": 4.0}),
    (Blur("motion", 11, 35), {"acutance.deblur": "motion", "acutance.length": 11.0, "acutance.angle": 35.0}),
    (Blur("lens", 1.3), {"acutance.deblur": "lens", "acutance.radius": 1.3}),
]


@pytest.mark.parametrize(
    ("blur", "along", "across"),
    # variances of a Gaussian, of a disc (r²/4 along any axis) and of an even line (l²/12), with what a pixel's own width adds
    [(Blur("lens", 2), 4, 4), (Blur("defocus", 5), 25 / 4, 25 / 4), (Blur("motion", 12), 144 / 12, 0)],
)
def test_kernels_have_the_moments_of_their_blurs(blur: Blur, along: float, across: float) -> None:
    kernel = kernel_of(blur)
    half = kernel.shape[0] // 2
    at = np.arange(-half, half + 1)
    assert kernel.sum() == pytest.approx(1, abs=1e-5) and kernel.min() >= 0
    assert kernel.sum(axis=0) @ at**2 == pytest.approx(along, abs=0.3)
    assert kernel.sum(axis=1) @ at**2 == pytest.approx(across, abs=0.3)
    assert abs(kernel.sum(axis=0) @ at) < 1e-3


def test_a_motion_lies_in_its_direction() -> None:
    kernel = kernel_of(Blur("motion", 15, 30))
    y, x = np.nonzero(kernel > 0.3 * kernel.max())
    slope = np.polyfit(x, y, 1)[0]
    assert np.degrees(np.arctan(slope)) == pytest.approx(30, abs=3)


def _psnr(a: np.ndarray, b: np.ndarray, rim: int) -> float:
    one, two = (np.sqrt(np.clip(p, 0, 1))[rim:-rim, rim:-rim] for p in (a, b))
    return float(-10 * np.log10(np.mean((one - two) ** 2)))


@pytest.mark.parametrize("blur", [one for one, _ in CAUSES])
def test_it_is_ahead_of_richardson_lucy_at_its_best(blur: Blur) -> None:
    # skimage.restoration.richardson_lucy, the best of its numbers of steps for each picture; ours by itself
    ahead, gained = [], []
    for number, photo in enumerate((data.chelsea(), data.astronaut(), data.coffee())):
        picture = (photo[:260, :320].astype(np.float32).mean(axis=2) / 255) ** 2.2
        kernel = kernel_of(blur)
        half = kernel.shape[0] // 2
        seen = fftconvolve(picture, kernel, mode="valid").astype(np.float32)
        noise = np.random.default_rng(number).normal(0, 0.004, seen.shape).astype(np.float32)
        seen, truth = np.clip(seen + noise, 1e-4, 1), picture[half:-half, half:-half]
        level = float(seen.mean())
        ours = _psnr(deconvolve(seen / level, blur, 0.004 / level) * level, truth, half + 16)
        theirs = max(
            _psnr(restoration.richardson_lucy(seen, kernel, num_iter=steps, clip=False), truth, half + 16)
            for steps in (5, 10, 20, 40)
        )
        ahead.append(ours - theirs)
        gained.append(ours - _psnr(seen, truth, half + 16))
    assert np.mean(ahead) > 0.3 and min(gained) > 1, (ahead, gained)


def test_borders_are_undone_too_and_do_not_ring() -> None:
    blur = Blur("motion", 14, 25)
    picture = (data.chelsea()[:280, :400].astype(np.float32).mean(axis=2) / 255) ** 2.2
    seen = fftconvolve(picture, kernel_of(blur), mode="same").astype(np.float32)[40:-40, 40:-40]
    truth, level, around = picture[40:-40, 40:-40], float(seen.mean()), 48
    padded = cv2.copyMakeBorder(seen, *(4 * [around]), cv2.BORDER_REPLICATE) / level
    known = np.zeros(padded.shape, bool)
    known[around:-around, around:-around] = True
    cut = (slice(around, -around),) * 2
    told, naive = (deconvolve(padded, blur, 0.01, known=one)[cut] * level for one in (known, None))
    assert _psnr(told, truth, 1) > _psnr(naive, truth, 1) + 1
    rim = np.ones(truth.shape, bool)
    rim[8:-8, 8:-8] = False
    off = [
        float(np.sqrt(np.mean((np.sqrt(np.clip(p[rim], 0, 1)) - np.sqrt(truth[rim])) ** 2)))
        for p in (told, seen)
    ]
    assert off[0] < 1.5 * off[1], "no worse than blurred by much, where half of what is needed is not seen"


def _blurred(blur: Blur, iso: float = 200) -> tuple[np.ndarray, np.ndarray]:
    """Camera light through a blur, as a camera meets it, and without it."""
    picture = shots.photograph("astronaut.png", reduced=False)[:420, :460]
    kernel = kernel_of(blur)
    half = kernel.shape[0] // 2
    seen = np.stack([fftconvolve(picture[..., c], kernel, mode="valid") for c in range(3)], -1)
    h, w = (side // 12 * 12 for side in seen.shape[:2])
    return seen[:h, :w].astype(np.float32), picture[half:-half, half:-half][:h, :w]


def _made(light: np.ndarray, settings: Settings, iso: float) -> tuple[Developed, Context]:
    camera = np.ascontiguousarray(light * shots.NEUTRAL.astype(np.float32))
    developed, context = realise(shots.loaded(camera, iso=iso), settings)
    return developed, with_lens_measured(developed, context)


def _seen(developed: Developed, settings: Settings, context: Context, region: OutputRegion) -> np.ndarray:
    return trim(camera_light(developed, settings, context, region), region).pixels / shots.NEUTRAL


@pytest.mark.parametrize(("blur", "how"), CAUSES)
@pytest.mark.parametrize("iso", [200, 3200])
def test_through_mosaic_noise_and_denoising_it_is_nearer_to_what_was_there(
    blur: Blur, how: dict, iso: float
) -> None:
    seen, truth = _blurred(blur)
    settings = PLAIN.with_values(how)
    developed, context = _made(seen, settings, iso)
    whole = OutputRegion(0, 0, *developed.extent)
    rim = kernel_of(blur).shape[0] // 2 + 8
    before = _psnr(_seen(developed, PLAIN, context, whole), truth, rim)
    after = _psnr(_seen(developed, settings, context, whole), truth, rim)
    assert after > before + (1.5 if iso == 200 else 0.5), (before, after)


def test_every_part_is_that_of_the_whole() -> None:
    seen, _ = _blurred(Blur("defocus", 3))
    seen = np.tile(seen, (2, 3, 1))[:780, :1200]
    settings = PLAIN.with_values({"acutance.deblur": "defocus", "acutance.radius": 3.0, "noise.amount": 0})
    developed, context = _made(seen, settings, 400)
    whole = _seen(developed, settings, context, OutputRegion(0, 0, *developed.extent))
    for region in (
        OutputRegion(0, 0, 128, 1200),
        OutputRegion(470, 450, 530, 700),
        OutputRegion(600, 1000, 780, 1200),
    ):
        part = _seen(developed, settings, context, region)
        np.testing.assert_array_equal(part, whole[region.top : region.bottom, region.left : region.right])


def test_even_areas_show_no_seams_and_hardly_more_noise() -> None:
    settings = PLAIN.with_values({"acutance.deblur": "defocus", "acutance.radius": 4.0})
    developed, context = _made(np.full((540, 1020, 3), 0.18, np.float32), settings, 1600)
    whole = OutputRegion(0, 0, *developed.extent)
    before, after = (_seen(developed, one, context, whole)[..., 1] for one in (PLAIN, settings))
    inner = slice(16, -16)
    assert after[inner, inner].std() < 1.1 * before[inner, inner].std() + 0.001 * 0.18
    columns = after[inner].mean(axis=0)
    assert np.abs(columns[480:512] - 0.18).max() < np.abs(columns[100:400] - 0.18).max() + 5e-4


def test_sharp_frames_are_left_alone_and_soft_ones_measured() -> None:
    picture = shots.photograph("coffee.png", reduced=False)[:396, :504]
    auto = PLAIN.with_values({"acutance.deblur": "auto"})
    developed, context = _made(picture, auto, 200)
    found = blur_of(auto.acutance, context.softness)
    assert found is None or found.size < 0.8
    soft, truth = _blurred(Blur("lens", 1.6))
    developed, context = _made(soft, auto, 200)
    found = blur_of(auto.acutance, context.softness)
    assert found is not None and 0.7 < found.size < 2.0
    whole = OutputRegion(0, 0, *developed.extent)
    before, after = (_psnr(_seen(developed, one, context, whole), truth, 24) for one in (PLAIN, auto))
    assert after > before + 0.5
    assert (
        blur_of(PLAIN.acutance, Cause("lens", 1.0, Blur("lens", 3))) is None
        and blur_of(auto.acutance, None) is None
    )
    # what is chosen by hand is as wide as what was measured: a disc of radius r has a variance of r²/4 along each axis
    soft_places = Cause("none", 0.5, None, "elsewhere", Blur("lens", 1.75))
    by_hand = PLAIN.with_value("acutance.deblur", "defocus")
    assert blur_of(by_hand.acutance, soft_places) == Blur("defocus", 3.5)
    assert blur_of(auto.acutance, soft_places) is None, "wanted blur is left alone unless asked"
    assert blur_of(by_hand.acutance, Cause("none", 1.0)) is None


def test_reduced_views_are_about_the_whole_reduced() -> None:
    seen, _ = _blurred(Blur("defocus", 5))
    settings = PLAIN.with_values({"acutance.deblur": "defocus", "acutance.radius": 5.0, "noise.amount": 0})
    developed, context = _made(seen, settings, 100)
    h, w = developed.extent
    small = camera_light(developed, settings, context, OutputRegion(0, 0, h, w, 2.0)).pixels / shots.NEUTRAL
    large = _seen(developed, settings, context, OutputRegion(0, 0, h, w))
    halved = large[: h // 2 * 2, : w // 2 * 2].reshape(h // 2, 2, w // 2, 2, 3).mean(axis=(1, 3))
    plain = _seen(developed, PLAIN, context, OutputRegion(0, 0, h, w))
    soft = plain[: h // 2 * 2, : w // 2 * 2].reshape(h // 2, 2, w // 2, 2, 3).mean(axis=(1, 3))
    rim = (slice(12, -12), slice(12, -12))
    apart, acted = (
        np.abs(np.sqrt(np.clip(p[rim], 0, 1)) - np.sqrt(np.clip(halved[rim], 0, 1))).mean()
        for p in (small, soft)
    )
    assert apart < 0.6 * acted


def test_the_command_line_deblurs(frames: Path, tmp_path: Path) -> None:
    import tifffile

    from irvane.cli import main

    for name, more in (
        ("plain", []),
        ("sharp", ["--set", "acutance.deblur=lens", "--set", "acutance.radius=1.5"]),
    ):
        out = str(tmp_path / f"{name}.tif")
        assert main(["develop", str(frames / "test-card.dng"), "--flat", *more, "--out", out]) == 0
    plain, sharp = (tifffile.imread(tmp_path / f"{name}.tif").astype(float) for name in ("plain", "sharp"))
    assert np.abs(np.diff(sharp, axis=1)).mean() > 1.1 * np.abs(np.diff(plain, axis=1)).mean()


@pytest.mark.parametrize("iso", [200, 1600])
@pytest.mark.parametrize(
    "blur", [Blur("defocus", 3.3), Blur("defocus", 6), Blur("motion", 9.4, 33), Blur("motion", 16, -57)]
)
def test_cause_and_measures_are_told_without_knowing_the_scene(blur: Blur, iso: float) -> None:
    # the truth is what the picture was blurred with
    seen, _ = _blurred(blur)
    _, context = _made(seen, PLAIN, iso)
    found = context.softness
    assert found is not None and found.cause == blur.cause and found.confidence > 0.3, found
    assert found.blur is not None and found.blur.size == pytest.approx(blur.size, rel=0.1)
    if blur.cause == "motion":
        assert found.blur.angle == pytest.approx(blur.angle, abs=6)


def test_what_cannot_be_told_is_said_to_be_unsure() -> None:
    even = [
        np.full((128, 128), 0.2, np.float32)
        + np.random.default_rng(k).normal(0, 0.01, (128, 128)).astype(np.float32)
        for k in range(20)
    ]
    assert cause_of(mean_spectrum(even), None).cause == "unsure"
    assert mean_spectrum(even[:5]) is None
    assert "cannot be told" in cause_of(None, 2.5).words() and cause_of(None, 0.1).cause == "none"


def test_what_is_sharp_beside_what_is_out_of_focus_stays_so() -> None:
    blur, how = CAUSES[0]
    picture = shots.photograph("astronaut.png", reduced=False)[:432, :456]
    soft = np.stack(
        [fftconvolve(picture[..., c], kernel_of(blur), mode="same") for c in range(3)], -1
    ).astype(np.float32)
    light = np.concatenate([soft, picture[:, ::-1]], axis=1)
    settings = PLAIN.with_values(how)
    developed, context = _made(light, settings, 200)
    whole = OutputRegion(0, 0, *developed.extent)
    before, after = (_seen(developed, one, context, whole) for one in (PLAIN, settings))
    sharp, blurred = (slice(16, -16), slice(560, -16)), (slice(16, -16), slice(16, 360))

    def near(seen: np.ndarray, truth: np.ndarray, part: tuple[slice, slice]) -> float:
        return _psnr(seen[part], truth[part], 1)

    truth = np.concatenate([picture, picture[:, ::-1]], axis=1)
    assert near(after, truth, blurred) > near(before, truth, blurred) + 1
    everywhere = _seen(developed, settings, replace(context, edges=None), whole)
    assert near(after, truth, sharp) > near(everywhere, truth, sharp) + 4, (
        "where it is sharp nothing is undone"
    )


@pytest.mark.parametrize(("blur", "how"), CAUSES)
def test_a_razor_edge_becomes_one_again_without_a_halo(blur: Blur, how: dict) -> None:
    y, x = np.mgrid[0:320, 0:360]
    edge = np.where(x + 0.09 * y > 190, 0.45, 0.10).astype(np.float32)
    soft = cv2.filter2D(edge, -1, kernel_of(blur), borderType=cv2.BORDER_REPLICATE)
    settings = PLAIN.with_values(how)
    developed, context = _made(np.repeat(soft[..., None], 3, axis=2), settings, 400)
    whole = OutputRegion(0, 0, *developed.extent)
    seen = [_seen(developed, one, context, whole)[..., 1] for one in (PLAIN, settings)]
    places = np.rint(190 - 0.09 * np.arange(320)).astype(int)
    rows = range(60, 260)
    before, after = (np.mean([one[r, places[r] - 50 : places[r] + 50] for r in rows], axis=0) for one in seen)
    assert after.max() < 0.45 + 0.05 * 0.35 and after.min() > 0.10 - 0.05 * 0.35, "5 % of its step at most"
    width = [np.count_nonzero((profile > 0.135) & (profile < 0.415)) for profile in (before, after)]
    assert width[1] <= 2 and width[0] >= width[1] + 2, width


def test_a_kernel_that_is_not_that_of_the_place_does_not_ring() -> None:
    """A small sharp light on an even ground, undone as if it were out of focus; and what really is out of focus, by the same kernel."""
    blur, level = Blur("defocus", 4), 0.1
    light = np.full((160, 160), level, np.float32)
    light[78:82, 78:82] = 0.9
    rung = deconvolve(light / level, blur, 0.01) * level
    kept = _held(rung, light, blur)
    ground = np.hypot(*(np.mgrid[:160, :160] - 79.5)) > 6
    assert np.abs(rung - level)[ground].max() > 0.05, "it rings"
    assert np.abs(kept - level)[ground].max() < 0.3 * np.abs(rung - level)[ground].max()
    truth = shots.photograph("astronaut.png", reduced=False)[:300, :300] @ np.float32([0.25, 0.5, 0.25])
    soft = cv2.filter2D(truth, -1, kernel_of(blur), borderType=cv2.BORDER_REFLECT_101)
    soft += np.random.default_rng(0).normal(0, 0.003, soft.shape).astype(np.float32)
    mean = float(soft.mean())
    found = deconvolve(soft / mean, blur, 0.003 / mean) * mean

    def encoded(one: np.ndarray) -> float:
        return _psnr(np.maximum(one, 0)[..., None], truth[..., None], 30)

    plain, kept, seen = encoded(found), encoded(_held(found, soft, blur)), encoded(soft)
    assert kept > plain - 1.0 and kept > seen + 4


def test_crop_turn_and_corner_light_deblur_nothing_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """What lies behind deblurring in the line makes nothing of it anew; what lies before it does."""
    seen, _ = _blurred(Blur("lens", 1.4))
    blurred = PLAIN.with_values({"acutance.deblur": "lens", "acutance.radius": 1.4})
    developed, context = _made(seen, blurred, 200)
    tiles: list[object] = []
    real = deblurring._tile
    monkeypatch.setattr(deblurring, "_tile", lambda *given: (tiles.append(1), real(*given))[1])

    def made(settings: Settings) -> int:
        before = len(tiles)
        camera_light(developed, settings, context, OutputRegion(20, 20, 200, 200))
        return len(tiles) - before

    assert made(blurred) > 0
    for name, value in (("turn", "90"), ("mirror", "on"), ("straighten", 2.0), ("vignetting", 0.8)):
        assert made(blurred.with_value(f"lens.{name}", value)) == 0, name
    assert made(blurred.with_value("acutance.radius", 1.6)) > 0
