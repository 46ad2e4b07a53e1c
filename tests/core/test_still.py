"""Brackets that stand still are merged as mosaics: against known light, and what noise theory says of it."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
import shots

from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.line.merge_options import MergeOptions, before_merging
from irvane.core.line.source import Loaded
from irvane.core.line.still import Still, find_still, merge_still
from irvane.core.merge.variance import variance_of
from irvane.core.noise.denoise import Removal
from irvane.core.progress import always
from irvane.core.settings import Sensor, Settings

_STEPS = (-2, 0, 2)


def _light() -> np.ndarray:
    picture = shots.photograph("chelsea.png", reduced=False)[:288, :432]
    x = np.linspace(-5.5, 3.0, picture.shape[1], dtype=np.float32)
    return np.maximum(picture * np.exp2(x)[None, :, None], 2e-5) * shots.NEUTRAL.astype(np.float32)


def _bracket(
    lights: list[np.ndarray], cfa: np.ndarray = BAYER, iso: float = 1600, flip: int = 0
) -> list[Loaded]:
    noise, frames = shots.noise_of(iso), []
    for k, (ev, light) in enumerate(zip(_STEPS, lights, strict=True)):
        mosaic = shots.noisy(shots.mosaic_of(light * np.float32(2.0**ev), cfa), noise, 40 + k)
        info = FrameInfo(shutter=2.0**ev / 50, iso=iso, aperture=4.0, taken=shots.WHEN + timedelta(seconds=k))
        frames.append(replace(shots.loaded(light, iso, cfa, flip), mosaic=mosaic, info=info))
    return frames


def _still(frames: list[Loaded], aligns: bool = True) -> Still:
    found = find_still(["a.dng", "b.dng", "c.dng"], frames, [Sensor()] * 3, None, aligns, always)
    assert found is not None, "nothing moved"
    return found


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "6x6"])
def test_mosaics_are_merged_to_the_light_that_was_there(cfa: np.ndarray) -> None:
    light = _light()
    made = merge_still(_still(_bracket([light] * 3, cfa)), 50, [], Sensor(), Removal(1.0), always)
    assert made.picture is not None and made.denoised is not None
    assert made.picture.max() > 2 and made.noise is not None
    h, w = (side // 16 for side in light.shape[:2])

    def means(picture: np.ndarray) -> np.ndarray:
        return picture[: h * 16, : w * 16].reshape(h, 16, w, 16, 3).mean(axis=(1, 3))

    truth = means(light)
    for picture in (made.picture, made.denoised):
        off = np.abs(np.log2(np.maximum(means(picture), 1e-6) / truth))
        held = (truth > 0.003) & (truth.max(axis=2, keepdims=True) < 3)
        assert np.median(off[held]) < 0.02 and np.quantile(off[held], 0.95) < 0.12
    dark = light[..., 1] < 0.01
    noisy, clean = (np.std((p - light)[dark][:, 1]) for p in (made.picture, made.denoised))
    assert clean < 0.75 * noisy, "denoised once, with its own noise"
    assert made.clipped is None or made.clipped.mean() < 0.2, "marked only where the shortest clips"


def test_the_noise_of_a_merge_is_what_it_is_said_to_be() -> None:
    # an even field of every brightness: the sample spread of many merges' pixels against the table
    noise = shots.noise_of(1600)
    levels = np.array([0.0, 0.003, 0.02, 0.1, 0.3, 0.6, 0.9, 2.0, 3.0])
    light = np.repeat(levels, 48)[None, :, None] * np.ones((240, 1, 3))
    frames = _bracket([light.astype(np.float32)] * 3)
    frames = [replace(f, colour=replace(shots.colour(), neutral=np.ones(3))) for f in frames]
    made = merge_still(
        replace(
            _still(_bracket([_light()] * 3)), loaded=tuple(frames), mosaics=tuple(f.mosaic for f in frames if f.mosaic),
            seen=tuple(_still_members(frames)),
        ), 0, [], replace(Sensor(), demosaic="linear"), Removal(), always,
    )  # fmt: skip
    ratios = [4.0, 1.0, 0.25]
    told = variance_of([noise] * 3, ratios, np.ones(3), (0.85, 0.97))
    assert made.picture is not None
    for k, level in enumerate(levels):
        # every second pixel of green, where linear interpolation leaves the sample itself
        field = made.picture[10:-10, 48 * k + 8 : 48 * k + 40, 1]
        samples = np.concatenate([field[0::2, 1::2].ravel(), field[1::2, 0::2].ravel()])
        wanted = float(told.sigma(np.array([level]), 1)[0])
        assert np.std(samples) == pytest.approx(wanted, rel=0.12), level
        optimum = 1 / np.sqrt(
            sum(1 / (noise.gain[1] * level * r + noise.read[1] ** 2 * r**2) for r in ratios if level / r < 0.85)
        )  # fmt: skip
        assert wanted < 1.1 * optimum, "inverse variances are the best weights (Gauss–Markov)"


def _still_members(frames: list[Loaded]) -> list:
    from irvane.core.merge.registration import Member
    from irvane.core.sensor.demosaic import bin_colour

    return [Member(bin_colour(f.mosaic), f.noise, f.info, 2) for f in frames if f.mosaic and f.noise]


def test_the_scale_of_plain_noise_comes_back() -> None:
    told = variance_of([shots.noise_of(800)] * 3, [4.0, 1.0, 0.25], shots.NEUTRAL, (0.85, 0.97))
    light = np.geomspace(1e-5, 4.5, 240 * 240).reshape(240, 240).astype(np.float32)
    light[0, :40] = -1e-3
    even = told.evened(light, BAYER)
    np.testing.assert_allclose(told.back(even, BAYER), light, rtol=2e-3, atol=1e-6)
    # a step of one standard deviation of the merge is one of the plain model
    for c, place in ((1, (0, 1)), (0, (0, 0))):
        assert BAYER[place] == c
        for value in (0.01, 0.2, 1.5):
            one = np.full((2, 2), value, np.float32)
            step = float(told.sigma(np.array([value]), c)[0])
            y0, y1 = (told.evened(p, BAYER)[place] for p in (one, one + np.float32(0.1 * step)))
            model: NoiseModel = told.model
            assert (y1 - y0) / model.sigma(y0, c) == pytest.approx(0.1, rel=0.08)


@pytest.mark.parametrize("flip", [0, 6])
def test_what_moved_is_taken_from_one_frame_with_its_own_noise(flip: int) -> None:
    light = _light()
    lights = []
    for x in (40, 150, 260):
        one = light.copy()
        one[100:190, x : x + 50] = 0.12 * shots.NEUTRAL
        lights.append(one.astype(np.float32))
    made = merge_still(
        _still(_bracket(lights, flip=flip), aligns=False), 50, [], Sensor(), Removal(1.0), always
    )
    assert made.denoised is not None and made.origin is not None
    for x, there in ((40, False), (150, True), (260, False)):
        middle = made.denoised[110:180, x + 10 : x + 40]
        wanted = lights[1][110:180, x + 10 : x + 40]
        off = np.abs(np.log2(np.maximum(middle.mean(axis=(0, 1)), 1e-6) / wanted.mean(axis=(0, 1))))
        assert off.max() < 0.06, (x, there)
    assert made.origin.frames.shape[0] > made.origin.frames.shape[1] if flip == 6 else True
    assert "Movement" in " ".join(made.notes)


def test_frames_keep_the_settings_that_act_before_they_are_merged() -> None:
    settings = Settings().with_values(
        {"sensor.defects": "off", "noise.method": "fast", "light.exposure": 1.0}
    )
    early = before_merging(settings)
    assert dict(early) == {"sensor.defects": "off", "noise.method": "fast"}
    assert before_merging(Settings()) == ()
    how = MergeOptions(own=(("a.dng", early),))
    again = MergeOptions.from_dict(how.as_dict())
    assert again == how and again.settings_of("a.dng").sensor.defects == "off"
    assert again.settings_of("b.dng") == Settings()
    assert MergeOptions.from_dict({"own": [["a", [["no.such", 1]]], 3, None]}).own == ()


def test_a_bad_pixel_is_mended_before_the_merge_unless_that_is_off() -> None:
    light = np.full((96, 144, 3), 0.05, np.float32)
    light[:, ::24] = 0.2
    frames = _bracket([light] * 3, iso=100)
    for f in frames:
        assert f.mosaic is not None
        f.mosaic.data[41, 55] = 0.9
    for sensor, seen in ((Sensor(), False), (replace(Sensor(), defects="off"), True)):
        found = find_still("abc", frames, [sensor] * 3, None, False, always)
        assert found is not None
        made = merge_still(found, 0, [], sensor, Removal(), always)
        assert made.picture is not None
        assert (made.picture[41, 55].max() > 0.12) == seen


def test_frames_of_other_arrays_are_not_merged_as_mosaics() -> None:
    light = _light()
    frames = _bracket([light] * 3)
    shifted = Mosaic(frames[1].mosaic.data, np.roll(BAYER, 1, 1)) if frames[1].mosaic else None
    assert find_still("abc", [frames[0], replace(frames[1], mosaic=shifted), frames[2]], [Sensor()] * 3, None, True, always) is None  # fmt: skip
