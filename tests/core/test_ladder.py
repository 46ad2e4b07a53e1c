"""Charts, photon transfer and ladders, against the simulated bodies' sensor models (EMVA 1288, ISO 15739 terms)."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import shots

from irvane.core.errors import ReadError
from irvane.core.image import GREEN, Mosaic
from irvane.core.judge.chart import find_chart, marked_chart
from irvane.core.judge.ladder import CameraLadder, read_ladder
from irvane.core.judge.transfer import Point, fit, pair_points
from irvane.core.judge.usable import Comparison, compare, differs_from, verdict
from irvane.core.pixels.places import FrameRegion
from irvane.core.sensor.levels import apply_levels
from irvane.core.simulate.camera import Body, expose
from irvane.core.simulate.demo import BODY_A, BODY_B
from irvane.core.simulate.folder import LADDER_FOLDER

BODIES = {"Simulated A": BODY_A, "Simulated B": BODY_B}


def _chart(rows: int, columns: int, side: int = 60, gap: int = 8) -> np.ndarray:
    rng = np.random.default_rng(0)
    pitch = side + gap
    light = np.full((rows * pitch + 200, columns * pitch + 260, 3), 0.35, np.float32)
    for r in range(rows):
        for c in range(columns):
            y, x = 100 + r * pitch, 130 + c * pitch
            light[y : y + side, x : x + side] = rng.uniform(0.02, 0.25) * rng.uniform(0.7, 1.3, 3)
    return light


@pytest.mark.parametrize(("rows", "columns"), [(4, 6), (1, 8), (7, 5)])
def test_a_regular_grid_of_patches_is_found(rows: int, columns: int) -> None:
    light = _chart(rows, columns) * (1 + np.random.default_rng(1).normal(0, 0.04, (1, 1, 1)))
    noisy = (light + np.random.default_rng(2).normal(0, 0.004, light.shape)).astype(np.float32)
    patches = find_chart(noisy)
    assert {(p.row, p.column) for p in patches} == {(r, c) for r in range(rows) for c in range(columns)}
    for p in patches:
        y, x = 100 + p.row * 68, 130 + p.column * 68
        assert y < p.region.top < p.region.bottom < y + 60 and x < p.region.left < p.region.right < x + 60
    doubled = find_chart(noisy, 2.0)
    assert doubled[0].region.top == pytest.approx(2 * patches[0].region.top, abs=2)


def test_where_there_is_no_chart_none_is_found_and_one_can_be_marked() -> None:
    assert find_chart(shots.photograph("chelsea.png")) == []
    assert find_chart(np.zeros((300, 400, 3), np.float32)) == []
    patches = marked_chart(FrameRegion(100, 200, 300, 500), 2, 3)
    assert [(p.row, p.column) for p in patches] == [(0, 0), (0, 1), (0, 2), (1, 0), (1, 1), (1, 2)]
    assert patches[4].region == FrameRegion(220, 320, 280, 380)


def _flat(body: Body, level: float, iso: float, seed: int) -> Mosaic:
    light = np.full((300, 420, 3), level, np.float32)
    rng = np.random.default_rng(seed)
    counts = expose(light, body, iso=iso, exposure=1.0, neutral=np.array([0.6, 1.0, 0.7]), rng=rng)
    return Mosaic(apply_levels(counts, body.cfa, np.full(3, 512.0), np.full(3, float(body.white))), body.cfa)


@pytest.mark.parametrize(
    "body", [BODY_A, BODY_B, Body("Coarse", full_well=12_000, read_noise=2.5, white=4095)]
)
@pytest.mark.parametrize("iso", [100, 800])
def test_pairs_of_flat_and_dark_frames_tell_the_electrons(body: Body, iso: float) -> None:
    body = replace(body, banding=0.0)
    points: list[list[Point]] = [[], [], []]
    for k, level in enumerate((0.0, 0.05, 0.2, 0.5, 0.8)):
        for c, point in enumerate(
            pair_points(_flat(body, level, iso, 2 * k), _flat(body, level, iso, 2 * k + 1))
        ):
            points[c].append(point)
    counts = body.white - 512
    for c in range(3):
        found = fit(points[c], counts)
        assert found.saturation == pytest.approx(body.well(iso), rel=0.05)
        assert found.read_noise == pytest.approx(body.read_noise, rel=0.05)
        assert found.gain == pytest.approx(counts / body.well(iso), rel=0.05)


def test_what_tells_no_transfer_is_said() -> None:
    with pytest.raises(ValueError, match="dark and bright"):
        fit([Point(0.3, 1e-5, 1000), Point(0.31, 1e-5, 1000)])
    with pytest.raises(ValueError, match="processed already"):
        fit([Point(0.01, 1e-5, 1000), Point(0.3, 1e-6, 1000), Point(0.6, 1e-7, 1000)])
    with pytest.raises(ValueError, match="same sensor"):
        pair_points(
            _flat(BODY_A, 0.1, 100, 0), Mosaic(np.zeros((300, 420), np.float32), np.zeros((6, 6), int))
        )


@pytest.fixture(scope="module")
def ladders(demo: Path) -> list[CameraLadder]:
    return read_ladder(sorted((demo / LADDER_FOLDER).glob("*.dng")))


def test_frames_are_ordered_and_brought_to_equal_brightness(ladders: list[CameraLadder]) -> None:
    assert [ladder.name for ladder in ladders] == list(BODIES)
    for ladder in ladders:
        stops = [rung.stop for rung in ladder.rungs]
        assert stops == sorted(stops, reverse=True)
        assert 0.0 in stops and min(stops) < -6 and max(stops) > 1
        assert len(ladder.patches) >= 20
        for rung in ladder.rungs:
            assert rung.stop == pytest.approx(rung.stated, abs=0.05)
            assert rung.motion.still


def _expected(ladder: CameraLadder, zero_means: np.ndarray, stop: float) -> np.ndarray:
    """SNR in dB of the patches' green, from the sensor model and the light of the reference frame."""
    gain, variance = BODIES[ladder.name].noise_profile(100)
    light = zero_means * 2.0**stop
    return 20 * np.log10(light / np.sqrt(gain * light + variance))


def _zero_means(ladder: CameraLadder) -> np.ndarray:
    rung = next(r for r in ladder.rungs if r.stop == 0)
    return np.array([p.mean for p in rung.points[GREEN]])


def test_noise_is_that_of_the_sensor_models(ladders: list[CameraLadder]) -> None:
    for ladder in ladders:
        for rung in ladder.rungs:
            if -6.5 < rung.stop <= 0:
                expected = _expected(ladder, _zero_means(ladder), rung.stated)
                assert np.mean(rung.snr[:, GREEN] - expected) == pytest.approx(0, abs=0.6)
                assert rung.mean_snr == pytest.approx(rung.snr[:, GREEN].mean())


@pytest.mark.parametrize("limit", [26.0, 20.0, 14.0])
def test_the_verdict_is_what_the_sensor_models_imply(ladders: list[CameraLadder], limit: float) -> None:
    for ladder in ladders:
        means = _zero_means(ladder)
        fine = np.linspace(0, -9, 901)
        levels = np.array([_expected(ladder, means, s).mean() for s in fine])
        truth = -fine[np.argmax(levels < limit)]
        assert verdict(ladder, limit).below == pytest.approx(truth, abs=0.25)
    assert verdict(ladders[0], limit).usable > verdict(ladders[1], limit).usable
    assert verdict(ladders[0], -30.0).ends


def test_cameras_differ_from_where_their_read_noise_shows(ladders: list[CameraLadder]) -> None:
    found = compare(*ladders)
    expected = [
        (_expected(ladders[0], _zero_means(ladders[0]), c.stop) - _expected(ladders[1], _zero_means(ladders[1]), c.stop)).mean()
        for c in found
    ]  # fmt: skip
    for one, truth in zip(found, expected, strict=True):
        if one.stop <= 0:
            assert one.difference == pytest.approx(truth, abs=0.9)
            assert one.low <= one.difference <= one.high
    start = differs_from(found)
    assert start is not None and start < 0
    truths = [c.stop for c, truth in zip(found, expected, strict=True) if truth > 1]
    assert start == pytest.approx(truths[0], abs=2.01), "to one step of this ladder"
    assert differs_from(compare(ladders[0], ladders[0])) is None


def test_a_difference_must_stay() -> None:
    def at(stop: float, difference: float) -> Comparison:
        return Comparison(stop, difference, difference - 0.4, difference + 0.4)

    assert differs_from([at(0, 0.1), at(-1, 1.5), at(-2, 0.2), at(-3, 1.6), at(-4, 2.0)]) == -3
    assert differs_from([at(0, 0.1), at(-1, 0.9)]) is None
    assert differs_from([Comparison(-1, 3.0, -0.2, 6.0)]) is None, "by chance"


def test_headroom_ends_where_patches_do_not_come_back(ladders: list[CameraLadder]) -> None:
    for ladder in ladders:
        over = [rung for rung in ladder.rungs if rung.stop > 0.5]
        above = verdict(ladder).above
        assert above is not None
        for rung in over:
            assert (rung.error.max() <= 5) == (rung.stop <= above + 1e-6)
        clipped = [rung.stop for rung in over if rung.clipped.mean() > 0.3]
        assert not clipped or above < min(clipped)


def test_frames_without_exposure_data_or_chart_are_refused(demo: Path, tmp_path: Path) -> None:
    with pytest.raises(ReadError, match="no chart"):
        read_ladder([demo / "bench-iso6400.dng"])
    picture = tmp_path / "plain.png"
    from PIL import Image

    Image.fromarray(np.full((60, 80, 3), 120, np.uint8)).save(picture)
    with pytest.raises(ReadError, match="how it was exposed"):
        read_ladder([picture])
