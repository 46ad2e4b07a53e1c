"""Figures that compare, how surely they are known, and the verdict: against constructions of known answer.

Sources: ISO 15739 (incremental gain, SNR, visual noise), ISO 12233 (slanted edge), statistics of correlated noise by
simulation; visual noise once more with colour-science and plain NumPy.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import colour as colour_science
import cv2
import numpy as np
import pytest
import shots

from irvane.core.finish.job import run, to_file
from irvane.core.judge.edge import edge_figures
from irvane.core.judge.place import PlaceFigures, place_figures
from irvane.core.judge.probe import read_probe
from irvane.core.judge.reading import read_nodes
from irvane.core.judge.readings import Reading
from irvane.core.judge.residue import TWO_SIDED, noise_difference, residue
from irvane.core.judge.rows import ROWS
from irvane.core.judge.side_by_side import side_by_side
from irvane.core.judge.texture import noise_spectrum, texture_figures
from irvane.core.judge.verdict import SPOTS, verdict
from irvane.core.judge.visual_noise import PIXELS_PER_DEGREE, sensitivity, visual_noise
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings, bare

RNG = np.random.default_rng


def _noise(shape: tuple[int, ...], blur: float, rng: np.random.Generator) -> np.ndarray:
    """Noise of variance 1, as wide as a blur makes it."""
    made = rng.normal(0, 1, (shape[0] + 32, shape[1] + 32, *shape[2:]))
    if not blur:
        return made[16:-16, 16:-16]
    known = cv2.GaussianBlur(RNG(1).normal(0, 1, (400, 400)), (0, 0), blur)[20:-20, 20:-20].std()
    return cv2.GaussianBlur(made, (0, 0), blur)[16:-16, 16:-16] / known


# how surely noise is known


@pytest.mark.parametrize("blur", [0.0, 0.7, 1.5])
def test_intervals_hold_the_truth_in_ninety_to_ninety_eight_of_a_hundred_draws(blur: float) -> None:
    """400 draws of white and of demosaiced noise; alone, of two frames, and of two proofs of one frame."""
    rng, alone, apart, paired = RNG(7), 0, 0, 0
    for _ in range(400):
        one, two = _noise((64, 64), blur, rng), _noise((64, 64), blur, rng)
        own = residue(0.2 + 0.01 * one)
        alone += abs(20 * np.log10(own.sigma / 0.01)) <= TWO_SIDED * own.error
        told, error = noise_difference(residue(0.2 + 0.02 * two), own)
        apart += abs(told - 20 * np.log10(2)) <= TWO_SIDED * error
        told, error = noise_difference(residue(0.2 + 0.005 * one + 0.002 * two), own)
        paired += abs(told - 20 * np.log10(np.hypot(0.005, 0.002) / 0.01)) <= TWO_SIDED * error
    assert all(360 <= hits <= 392 for hits in (alone, apart, paired)), (alone, apart, paired)


def test_what_two_proofs_share_makes_their_difference_surer() -> None:
    one = _noise((64, 64), 0.7, RNG(3))
    own, half = residue(0.2 + 0.01 * one), residue(0.2 + 0.005 * one + 0.001 * RNG(4).normal(0, 1, (64, 64)))
    other = residue(0.2 + 0.005 * _noise((64, 64), 0.7, RNG(5)))
    assert noise_difference(half, own)[1] < 0.5 * noise_difference(other, own)[1]
    assert own.independent < 64 * 64 / 2, "demosaiced noise tells less than its pixels"


# noise that compares

_LEVELS = (0.02, 0.05, 0.12, 0.25, 0.4)
_CURVES = {
    "as shot": {},
    "pushed": {"light.exposure": 0.7, "light.contrast": 25.0},
    "lifted": {"light.exposure": -1.0, "light.shadows": 1.5, "light.highlights": -1.0},
}


def _patches() -> np.ndarray:
    light = np.ascontiguousarray(shots.photograph("coffee.png", False)[:390, :600])
    for k, level in enumerate(_LEVELS):
        light[20:84, 20 + 100 * k : 84 + 100 * k] = level
    return light


@pytest.mark.parametrize("curve", _CURVES)
@pytest.mark.parametrize("denoised", [False, True])
def test_a_proof_and_its_own_tiff_are_alike_at_five_brightnesses(
    curve: str, denoised: bool, tmp_path: Path
) -> None:
    """Within 0.3 dB: what the base rendering does to noise is no difference between them."""
    settings = Settings()
    for path, value in (_CURVES[curve] | ({} if denoised else {"noise.amount": 0.0})).items():
        settings = settings.with_value(path, value)
    developed, context = realise(shots.loaded(_patches() * shots.NEUTRAL.astype(np.float32), 800), settings)
    some = tmp_path / "some.png"
    cv2.imwrite(str(some), np.full((40, 60, 3), 90, np.uint8))
    run(
        FileSource(some), settings, to_file(tmp_path / "own.tif", settings.finish), ready=(developed, context)
    )
    other, facts = realise(FileSource(tmp_path / "own.tif"), bare())
    extent = developed.extent
    nodes = (
        read_nodes(developed, settings, context, None, extent),
        read_nodes(other, bare(), facts, None, extent),
    )
    raw_differs = []
    for k in range(len(_LEVELS)):
        region = OutputRegion(24, 24 + 100 * k, 80, 80 + 100 * k)
        one = place_figures(developed, settings, context, region)
        two = place_figures(other, bare(), facts, region)
        told = side_by_side(
            [Reading(one, nodes=nodes[0], frame="raw"), Reading(two, nodes=nodes[1], frame="tiff")]
        )
        found = told.figure("noise", 1)
        assert found is not None and found.difference is not None and abs(found.difference) < 0.3, (k, found)
        assert found.alike and verdict([told], "AB").words.startswith("No difference")
        raw_differs.append(abs((one.probe.snr_db or 0) - (two.probe.snr_db or 0)))
    assert max(raw_differs) > 1.0, "read as they are, they would differ without a cause"


@pytest.mark.parametrize("kind", ["bare", "denoised", "foreign"])
def test_snr_at_even_places_is_without_bias(kind: str) -> None:
    """Of 16 draws the mean lies within 0.5 dB of the truth: for the bare frame that of the body's electrons,
    else that of the same place's spread over the draws, once every square's own slope is off (of what is
    wider than the square none is seen, as in ISO 15739)."""
    light = np.full((160, 160, 3), 0.18, np.float32)
    told, squares = [], []
    settings = Settings() if kind == "denoised" else bare()
    for seed in range(16):
        developed, context = realise(
            shots.loaded(light * shots.NEUTRAL.astype(np.float32), 3200, seed=seed), settings
        )
        region = OutputRegion(48, 48, 112, 112)
        place = place_figures(developed, settings, context, region)
        if kind == "foreign":  # a picture of which nothing is known: no model, no raw
            place = replace(place, expected=0.0, noise=0.0, finished=True, slope=1.0, shown_slope=1.0)
        figure = side_by_side([Reading(place)]).figure("noise", 0)
        assert figure is not None and figure.value is not None, place
        told.append(figure.value)
        squares.append(place.shown @ np.array([0.2126, 0.7152, 0.0722]) if kind == "foreign" else place.inner)
    stack = np.array(squares)
    if kind == "denoised":
        y, x = np.mgrid[0 : stack.shape[1], 0 : stack.shape[2]].reshape(2, -1) / 64
        design = np.stack([np.ones_like(x), x, y], axis=1)
        flat = stack.reshape(16, -1).T
        stack = stack.mean() + (flat - design @ (np.linalg.pinv(design) @ flat)).T
    truth = 20 * np.log10(stack.mean() / np.sqrt(stack.var(axis=0, ddof=1).mean()))
    power = np.mean(10 ** (-np.array(told) / 10))  # of what is left after denoising it differs much by draw
    assert -10 * np.log10(power) == pytest.approx(truth, abs=0.5)


def test_clipped_places_have_no_snr() -> None:
    light = np.full((160, 160, 3), 3.0, np.float32)
    developed, context = realise(shots.loaded(light * shots.NEUTRAL.astype(np.float32), 400), bare())
    place = place_figures(developed, bare(), context, OutputRegion(48, 48, 112, 112))
    figure = side_by_side([Reading(place)]).figure("noise", 0)
    assert place.clipped > 0.9 and figure is not None and figure.value is None and figure.words == "clipped"


# visual noise


def test_visual_noise_ranks_blotches_before_grain_and_is_that_of_plain_numpy() -> None:
    rng = RNG(2)
    grain, blotches = (0.2 + 0.02 * _noise((64, 64, 3), blur, rng) for blur in (0.0, 3.0))
    assert visual_noise(blotches) > 2.5 * visual_noise(grain), "at 100 % fine grain is hardly seen"
    assert visual_noise(0.2 + 0.01 * (blotches - 0.2) / 0.02) < 0.6 * visual_noise(blotches)
    assert visual_noise(np.full((64, 64, 3), 0.2)) < 1e-6
    assert visual_noise(grain, PIXELS_PER_DEGREE / 4) > visual_noise(grain), "nearer by it is seen more"
    # once more, with colour-science's matrices and Lab
    space = colour_science.RGB_COLOURSPACES["sRGB"]
    xyz = blotches @ space.matrix_RGB_to_XYZ.T
    opponent = np.array([[0.2787, 0.7218, -0.1066], [-0.4488, 0.2898, 0.0772], [0.0860, -0.5900, 0.5011]])
    f = np.hypot(np.fft.fftfreq(64)[:, None], np.fft.fftfreq(64)) * PIXELS_PER_DEGREE
    planes = xyz @ opponent.T
    seen = np.stack(
        [np.fft.ifft2(np.fft.fft2(planes[..., k]) * passed).real for k, passed in enumerate(sensitivity(f))],
        -1,
    )
    lab = colour_science.XYZ_to_Lab(seen @ np.linalg.inv(opponent).T, space.whitepoint)
    expected = lab[..., 0].std() + 0.852 * lab[..., 1].std() + 0.323 * lab[..., 2].std()
    assert visual_noise(blotches) == pytest.approx(expected, rel=0.02)


# texture


@pytest.mark.parametrize("shared", [True, False])
def test_texture_is_not_lost_because_the_reference_is_noisy(shared: bool) -> None:
    """A noisy picture holds all of the scene's texture, and so does a perfectly denoised one: 100 %, not the
    60 % that the reference's noise would make of it."""
    rng = RNG(5)
    scene = 0.3 * (1 + 0.25 * _noise((128, 128), 0.8, rng))
    noise = 0.06 * _noise((128, 128), 0.5, rng)
    left = 0.25 * noise if shared else 0.015 * _noise((128, 128), 0.5, rng)
    even = [noise_spectrum(residue(0.3 + n).values, 0.3) for n in (left, 0.06 * _noise((64, 64), 0.5, rng))]
    told = texture_figures(scene + left, scene + noise, (even[0], even[1]), shared)
    assert told.kept == pytest.approx(1, abs=max(0.08, 2 * told.error))
    assert texture_figures(scene + left, scene + noise).kept < 0.9
    half = texture_figures(
        cv2.GaussianBlur(scene, (0, 0), 1.0) + left, scene + noise, (even[0], even[1]), shared
    )
    truth = texture_figures(cv2.GaussianBlur(scene, (0, 0), 1.0), scene).kept
    assert half.kept == pytest.approx(truth, abs=0.07)


# the verdict


def _edge(blur: float) -> np.ndarray:
    y, x = np.mgrid[0:400, 0:400] / 4.0
    plane = np.where(x - 50 > 0.09 * (y - 50), 0.4, 0.1)
    return cv2.GaussianBlur(plane, (0, 0), 4 * blur)[1::4, 1::4]


def _place(plane: np.ndarray, tint: np.ndarray, expected: float) -> PlaceFigures:
    """What is read of a square: its middle of 64 pixels, and all of it."""
    middle = plane[18:82, 18:82]
    pixels = (middle[..., None] * tint).astype(np.float32)
    mtf50 = overshoot = None
    try:
        edge = edge_figures(plane)
        mtf50, overshoot = edge.mtf50, edge.overshoot
    except ValueError:
        pass
    return PlaceFigures(
        read_probe(pixels), "", mtf50, overshoot, plane, expected, inner=middle, expected=expected,
        shown=np.clip(pixels, 0, 1), shown_light=plane,
    )  # fmt: skip


_SCENE = 0.2 * (1 + 0.3 * _noise((100, 100), 0.9, RNG(11)))


def _picture(
    rng: np.random.Generator, *, noise: float = 0.01, blur: float = 0.0, after: bool = False, ev: float = 0.0,
    tint: tuple[float, float, float] = (1, 1, 1), at_edge: bool = False, frame: object = None,
) -> Reading:  # fmt: skip
    """A wall, fine texture and an edge: softened before its noise is added, or `after`, noise and all."""

    def seen(scene: np.ndarray) -> PlaceFigures:
        light = cv2.GaussianBlur(scene, (0, 0), blur) if blur and not after else scene
        light = light + noise * _noise(scene.shape, 0.6, rng)
        if after:
            light = cv2.GaussianBlur(light, (0, 0), blur)
        return _place(light * 2.0**ev, np.array(tint), noise * 2.0**ev)

    wall, texture, edge = np.full((100, 100), 0.2), seen(_SCENE), seen(_edge(0.5))
    place = edge if at_edge else seen(wall)
    return Reading(place, (("smooth", seen(wall)), ("texture", texture), ("edge", edge)), frame=frame)


def _pairs() -> list[tuple[str, int, Reading, Reading]]:
    """200 pairs: what they are, which is the better one (1: the second), and both."""
    rng, found = RNG(0), []
    for k in range(200):
        at_edge, ev = k % 4 == 3, float(rng.uniform(-1.5, 1.5))
        first = {"noise": float(rng.uniform(0.003, 0.015)), "at_edge": at_edge}
        second, kind, better = dict(first, ev=ev), "identical", 0
        if k >= 180:
            kind, second["tint"] = "colour", (1.0, 0.9, 0.75)
        elif k >= 120:
            kind, better = "sharper", 1 if k % 2 else -1
            (second if k % 2 == 0 else first)["blur"] = float(rng.uniform(0.6, 1.3))
        elif k >= 60:
            kind, better = "cleaner", 1 if k % 2 else -1
            factor = 10 ** (float(rng.uniform(1.5, 12)) / 20)
            second["noise"] = first["noise"] * (1 / factor if k % 2 else factor)
        elif k >= 40:
            kind, second["blur"], second["after"] = "blurred", float(rng.uniform(0.9, 1.6)), True
        found.append((kind, better, _picture(rng, **first), _picture(rng, **second)))
    return found


def test_the_verdict_never_calls_the_wrong_one_better() -> None:
    """Of 200 pairs; of the identical ones at least 95 % are called alike, blurred ones are never called better."""
    alike, seen = [], {"cleaner": 0, "sharper": 0, "blurred": 0, "colour": 0}
    for kind, better, one, two in _pairs():
        told = verdict([side_by_side([one, two])], ("A", "B"))
        pair = told.pairs[1]
        assert pair is not None
        assert pair.better * better >= 0, (kind, told.words)
        if kind == "identical":
            alike.append(pair.alike and told.words.startswith("No difference"))
        elif kind == "blurred":
            assert pair.better <= 0, told.words
            seen[kind] += "because it is blurred" in told.words or pair.better < 0
        elif kind == "colour":
            seen[kind] += "colours differ" in told.words
        else:
            seen[kind] += pair.better == better
    assert np.mean(alike) >= 0.95, np.mean(alike)
    assert seen["colour"] == 20 and seen["sharper"] >= 54 and seen["blurred"] >= 14, seen
    assert seen["cleaner"] >= 40, seen  # a quarter lies at an edge, where no noise is told


def test_it_says_who_where_and_what_must_be_made_equal_first() -> None:
    rng = RNG(4)
    noisy, clean = _picture(rng, noise=0.012), _picture(rng, noise=0.004, ev=1.0)
    told = verdict([side_by_side([noisy, clean])], ("A", "B"))
    assert told.words.startswith("B is 9.") and "dB cleaner here" in told.words and told.unequal
    assert "% of A’s texture" in told.words and told.words.endswith("colours alike.")
    assert not verdict([side_by_side([noisy, replace(noisy)])], ("A", "B")).unequal
    over = side_by_side([noisy, clean], reference=1)
    assert verdict([over], ("A", "B"), SPOTS).words.startswith("B is 9.")
    three = verdict([side_by_side([noisy, clean, _picture(rng, noise=0.012, blur=1.2)])], ("A", "B", "C"))
    assert three.words.startswith("Cleanest here: B, A") and "most detail" in three.words
    apart = verdict([side_by_side([noisy, clean], together=[0])], ("A", "B"))
    assert "not pictures of one scene" in apart.words
    edge = _picture(rng, at_edge=True)
    assert side_by_side([edge, edge]).lines["noise"].note == "an edge"
    more = replace(noisy, range=8.1), replace(noisy, range=7.2)
    assert "A holds 0.9 EV more shadow" in verdict([side_by_side(more)], ("A", "B")).words
    assert set(side_by_side([noisy]).lines) == set(ROWS)
