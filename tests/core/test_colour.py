"""Colour against colour-science and LittleCMS."""

from __future__ import annotations

import tempfile
from pathlib import Path

import colour
import imagecodecs
import numpy as np
import pytest
import shots

from irvane.core.colour import whitebalance
from irvane.core.colour.camera import flat_transform, is_as_shot, light_of, transform
from irvane.core.colour.icc import profile
from irvane.core.colour.rendering import Curve, encode, render
from irvane.core.colour.spaces import SPACES, WORKING, adaptation, between, to_xyz, xyz_of
from irvane.core.image import CameraColour
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.line.view import scene_patch
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Colour, Settings

#: Our keys and colour-science's names.
REFERENCE = {
    "srgb": "sRGB",
    "p3": "Display P3",
    "adobe-rgb": "Adobe RGB (1998)",
    "prophoto": "ROMM RGB",
    "rec2020": "ITU-R BT.2020",
}


@pytest.mark.parametrize("key", REFERENCE)
def test_matrix_agrees_with_colour_science(key: str) -> None:
    reference = colour.RGB_COLOURSPACES[REFERENCE[key]]
    derived = colour.normalised_primary_matrix(reference.primaries, reference.whitepoint)
    assert np.allclose(to_xyz(SPACES[key]), derived, atol=2e-4)


@pytest.mark.parametrize("key", REFERENCE)
def test_encoding_agrees_with_colour_science(key: str) -> None:
    reference = colour.RGB_COLOURSPACES[REFERENCE[key]]
    linear = np.linspace(0, 1, 257)
    expected = reference.cctf_encoding(linear)
    if key == "rec2020":  # its RGB colourspace carries a display curve; ITU-R BT.2020 table 4 gives this one
        expected = colour.models.oetf_BT2020(linear, is_12_bits_system=True)
    assert np.allclose(SPACES[key].encode(linear), expected, atol=1e-4)
    assert np.allclose(SPACES[key].decode(SPACES[key].encode(linear)), linear, atol=1e-5)


def test_bradford_agrees_with_colour_science() -> None:
    # CIE 15 chromaticities of D50 and D65, Bradford (ICC.1 annex E)
    d50, d65 = (0.3457, 0.3585), (0.3127, 0.3290)
    expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        colour.xy_to_XYZ(np.array(d50)), colour.xy_to_XYZ(np.array(d65)), transform="Bradford"
    )
    assert np.allclose(adaptation(d50, d65), expected, atol=1e-6)


@pytest.mark.parametrize("key", REFERENCE)
def test_written_profiles_agree_with_littlecms(key: str) -> None:
    rng = np.random.default_rng(0)
    linear = rng.uniform(0.02, 0.6, (8, 8, 3)).astype(np.float32)
    working = linear @ between(SPACES[key], WORKING).T
    ours = SPACES[key].encode(working @ between(WORKING, SPACES[key]).T)
    theirs = imagecodecs.cms_transform(
        np.ascontiguousarray(working, np.float32), profile("rec2020", linear=True), profile(key),
        colorspace="rgb", outcolorspace="rgb", intent=1,
    )  # fmt: skip
    assert np.abs(np.asarray(theirs) - ours).max() < 1.5e-3


@pytest.mark.parametrize("key", REFERENCE)
@pytest.mark.parametrize("depth", [8, 16])
def test_round_trips_through_written_profiles_agree_with_littlecms(key: str, depth: int) -> None:
    """What we encode, LittleCMS takes back to the working space through the profile that is put into the file."""
    inside = np.random.default_rng(2).uniform(0.01, 0.95, (40, 30, 3)).astype(np.float32)
    codes = encode(inside, key, depth)
    share = np.ascontiguousarray(codes / np.float32(2**depth - 1), np.float32)
    back = imagecodecs.cms_transform(
        share, profile(key), profile("rec2020", linear=True), colorspace="rgb", outcolorspace="rgb", intent=1
    )
    working = inside @ between(SPACES[key], WORKING).T
    # profiles state colours in 1/65536, and the codes are rounded
    assert np.abs(np.asarray(back) - working).max() < 2e-3 + 2.2 / 2**depth


def test_temperatures_agree_with_published_values() -> None:
    # Krystek 1985 against colour-science's Ohno 2013 for lights on the Planckian locus
    for kelvin in (2500, 3200, 4000, 5500, 6500, 9000):
        xy = whitebalance.xy_from_temperature(kelvin, 0.0)
        uv = colour.xy_to_UCS_uv(np.array(xy))
        found, duv = colour.uv_to_CCT(uv, method="Ohno 2013")
        assert found == pytest.approx(kelvin, rel=0.01)
        assert abs(duv) < 1e-3


@pytest.mark.parametrize("kelvin", [2000, 2856, 4000, 5500, 7500, 12000])
@pytest.mark.parametrize("tint", [-20.0, 0.0, 15.0])
def test_temperature_and_tint_round_trip(kelvin: float, tint: float) -> None:
    camera = shots.colour()
    neutral = whitebalance.neutral_from_light(camera, kelvin, tint)
    back = whitebalance.light_from_neutral(camera, neutral)
    assert back[0] == pytest.approx(kelvin, rel=0.01)
    assert back[1] == pytest.approx(tint, abs=0.6)


def test_white_stays_white() -> None:
    for values in (Colour(), Colour(temperature=3200), Colour(temperature=7500, tint=10)):
        gains, matrix = transform(shots.colour(), values)
        assert gains.min() == pytest.approx(1)
        assert np.allclose(matrix.sum(axis=1), 1, atol=1e-9)
    for key in SPACES:
        _, matrix = flat_transform(shots.colour(), Colour(), key)
        assert np.allclose(matrix.sum(axis=1), 1, atol=1e-9)


def test_mid_grey_lands_where_the_documentation_says() -> None:
    grey = np.full((1, 1, 3), 0.18, np.float32)
    shown = render(grey)
    assert shown[0, 0] == pytest.approx([0.18] * 3, abs=1e-4)
    assert float(SPACES["srgb"].encode(shown)[0, 0, 0]) == pytest.approx(0.46, abs=0.005)


def test_white_point_becomes_white_and_no_colour_clips_first() -> None:
    white = np.full((1, 1, 3), 0.18 * 16, np.float32)
    assert render(white)[0, 0] == pytest.approx([1] * 3, abs=1e-3)
    orange = np.array([[[3.0, 1.2, 0.3]]], np.float32)
    for ev in range(-4, 8):
        shown = render(orange * np.float32(2.0**ev))[0, 0]
        assert (shown <= 1).all()
        assert shown[0] >= shown[1] >= shown[2]


def test_bright_flames_turn_to_yellow_and_not_to_pink_and_skies_stay_blue() -> None:
    """Hue angles of Oklab (colour-science); that flames are seen to go to yellow, is common practice."""

    def oklab(light: tuple[float, float, float], ev: float) -> tuple[float, float]:
        shown = render(np.array([[light]], np.float32) * np.float32(2.0**ev))[0, 0].astype(float)
        _, a, b = colour.XYZ_to_Oklab(colour.sRGB_to_XYZ(shown, apply_cctf_decoding=False))
        return float(np.degrees(np.arctan2(b, a)) % 360), float(np.hypot(a, b))

    for warm in ((2.9, 0.8, 0.2), (2.0, 1.3, 0.7), (1.0, 0.72, 0.56)):
        hues = [oklab(warm, ev)[0] for ev in np.arange(-4, 3, 0.5)]
        assert min(np.diff(hues)) > -1.0, "never towards pink"
    hues = [
        hue for hue, chroma in (oklab((0.6, 0.9, 1.4), ev) for ev in np.arange(-4, 3, 0.25)) if chroma > 0.03
    ]
    assert min(hues) > 210 and max(hues) < 245
    far = [oklab(light, 7.0)[1] for light in ((2.9, 0.8, 0.2), (0.6, 0.9, 1.4), (0.5, 0.9, 0.2))]
    assert max(far) < 0.02, "far above white everything is white"


def test_rendering_is_monotonic_and_its_curve_inverts() -> None:
    ramp = np.exp2(np.linspace(-12, 6, 400)).astype(np.float32)
    picture = np.repeat(ramp[None, :, None], 3, axis=2)
    assert (np.diff(render(picture)[0, :, 0]) >= -1e-7).all()
    curve = Curve.for_white(4.0)
    assert np.allclose(curve.inverse(curve(ramp[:300])), ramp[:300], rtol=1e-3)


@pytest.mark.parametrize("white", [1.0, 2.0, 2.2, 2.5, 4.0, 8.0, 12.0])
def test_the_curve_rises_to_white_wherever_white_is(white: float) -> None:
    ramp = np.exp2(np.linspace(-12, white, 500)).astype(np.float32) * 0.18
    shown = render(np.repeat(ramp[None, :, None], 3, axis=2), white)[0, :, 0]
    assert shown.min() >= 0 and (np.diff(shown) >= -1e-6).all()
    assert shown[-1] == pytest.approx(1, abs=1e-3)
    grey = float(render(np.full((1, 1, 3), 0.18, np.float32), white)[0, 0, 0])
    assert grey == pytest.approx(0.18, abs=1e-3) if white >= 2.2 else grey > 0.18


def test_colours_outside_the_space_are_compressed_not_negative() -> None:
    laser = np.array([[[0.0, 0.8, 0.02], [0.9, 0.0, 0.0], [0.01, 0.02, 0.7]]], np.float32)
    shown = render(laser)
    assert (shown >= 0).all()
    assert (shown.argmax(axis=2) == [[1, 0, 2]]).all()


def _patches(white: np.ndarray) -> np.ndarray:
    """XYZ of surfaces under a light (white Y = 1): soft colours of moderate saturation around its white."""
    rng = np.random.default_rng(4)
    shares = rng.uniform(0.6, 1.5, (60, 3)) * rng.uniform(0.05, 0.8, (60, 1))
    return np.clip(shares, 0.02, 1.1) * white


@pytest.mark.parametrize("illuminant", ["A", "D50", "D55", "D65", "D75"])
def test_patches_through_the_files_matrices_agree_with_colour_science(illuminant: str) -> None:
    """What the camera saw of known surfaces becomes their colour adapted to D65 (Bradford), within ΔE2000 0.5."""
    camera = shots.colour()
    xy = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][illuminant]
    white = colour.xy_to_XYZ(xy)
    kelvin, tint = whitebalance.temperature_from_xy((float(xy[0]), float(xy[1])))
    surfaces = _patches(white)
    seen = surfaces @ whitebalance.matrix_at(camera, kelvin).T
    gains, matrix = transform(camera, Colour(temperature=kelvin, tint=tint), "srgb")
    ours = (seen * gains) @ matrix.T
    d65 = colour.xy_to_XYZ(np.array([0.3127, 0.3290]))
    adapted = colour.adaptation.chromatic_adaptation_VonKries(surfaces, white, d65, transform="Bradford")
    expected = adapted @ np.linalg.inv(to_xyz(SPACES["srgb"])).T
    # one scale for all: gains have their smallest at 1, the surfaces their white at Y = 1
    scale = (expected[..., 1] / ours[..., 1]).mean()
    labs = [
        colour.XYZ_to_Lab(rgb @ to_xyz(SPACES["srgb"]).T, np.array([0.3127, 0.3290]))
        for rgb in (ours * scale, expected)
    ]
    assert colour.delta_E(*labs, method="CIE 2000").max() < 0.5


def test_matrices_between_two_lights_follow_the_dng_specification() -> None:
    # linear in the inverse of the temperature, held constant beyond the calibrations
    camera = shots.colour()
    middle = 2 / (1 / 2856 + 1 / 6504)
    expected = (camera.matrix_warm + camera.matrix) / 2
    assert np.allclose(whitebalance.matrix_at(camera, middle), expected)
    assert np.allclose(whitebalance.matrix_at(camera, 2000), camera.matrix_warm)
    assert np.allclose(whitebalance.matrix_at(camera, 20000), camera.matrix)
    single = CameraColour(camera.matrix, None, 2856.0, 6504.0, camera.neutral, True)
    assert whitebalance.matrix_at(single, 3000) is camera.matrix


@pytest.mark.parametrize(
    ("name", "illuminant"),
    [("daylight", "D55"), ("cloud", "D65"), ("shade", "D75"), ("tungsten", "A"), ("fluorescent", "FL2")],
)
def test_named_lights_are_those_of_the_cie(name: str, illuminant: str) -> None:
    xy = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][illuminant]
    assert whitebalance.LIGHTS[name] == pytest.approx(tuple(xy), abs=2e-4)
    kelvin, _ = light_of(shots.colour(), Colour(light=name))
    expected, _ = colour.uv_to_CCT(colour.xy_to_UCS_uv(xy), method="Ohno 2013")
    assert kelvin == pytest.approx(expected, rel=0.01)


def test_a_named_light_makes_its_white_neutral_and_can_be_moved() -> None:
    camera = shots.colour()
    for name, xy in whitebalance.LIGHTS.items():
        kelvin, _ = whitebalance.temperature_from_xy(xy)
        seen = whitebalance.matrix_at(camera, kelvin) @ xyz_of(xy)
        gains, matrix = transform(camera, Colour(light=name))
        shown = matrix @ (gains * seen)
        assert np.ptp(shown) < 0.01 * shown.max(), name
    assert light_of(camera, Colour(light="shade", tint=5.0))[1] == 5.0
    assert light_of(camera, Colour(light="shade", temperature=4000.0))[0] == 4000.0
    assert not is_as_shot(Colour(light="shade"))


def test_impossible_neutrals_fall_back_to_the_plain_matrix() -> None:
    camera = shots.colour()
    strange = np.array([1.0, 0.02, 0.02])
    matrix = whitebalance.camera_to_working(camera, strange, 5000)
    assert np.isfinite(matrix).all()
    assert np.allclose(matrix.sum(axis=1), 1)


def test_under_the_light_of_the_calibration_both_matrices_agree() -> None:
    camera = shots.colour()
    neutral = whitebalance.neutral_from_light(camera, *whitebalance.temperature_from_xy((0.3127, 0.3290)))
    kelvin, _ = whitebalance.temperature_from_xy((0.3127, 0.3290))
    full = whitebalance.camera_to_working(camera, neutral, kelvin)
    plain = whitebalance.camera_to_working_plain(camera, kelvin)
    assert np.allclose(full, plain, atol=5e-3)


@pytest.mark.parametrize("stops", [6, 8, 10])
def test_a_deeply_pushed_grey_stays_neutral(stops: int) -> None:
    """A grey patch many stops under, through a whole simulated frame: noise averaged, no cast (black is right)."""
    light = np.full((240, 360, 3), 0.18 / 2**stops, np.float32)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "dark.dng"
        shots.dng(path, light)
        settings = Settings().with_value("noise.amount", 0).with_value("light.exposure", float(stops))
        settings = settings.with_value("sensor.banding", "off")
        developed, context = realise(FileSource(path), settings)
        found = scene_patch(developed, settings, context, OutputRegion(0, 0, 240, 360)).pixels.mean(
            axis=(0, 1)
        )
    cast = np.log2(found / found.mean())
    assert np.abs(cast).max() < (0.05 if stops < 10 else 0.15)  # EV
    assert found.mean() == pytest.approx(0.18 * 2**0.5, rel=0.06 if stops < 10 else 0.2)
