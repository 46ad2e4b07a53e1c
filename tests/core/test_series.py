"""A series of exposures of one scene, brought to equal brightness: colours agree with the rightly exposed frame."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pytest

from irvane.core.colour.spaces import SPACES, between
from irvane.core.judge.colour_difference import delta_e, lab_of

sys.path.insert(0, str(Path(__file__).parent.parent.parent / "benchmarks"))
import series


@pytest.fixture(scope="module")
def right() -> np.ndarray:
    lab, whole = series.patches(0)
    assert whole.mean() > 0.9
    return lab


@pytest.mark.parametrize(("stops", "limit"), [
    (2, 1.5), (1, 1.5), (-1, 1.5), (-3, 1.5), (-5, 1.5), (-6, 3.0), (-8, 3.0),
])  # fmt: skip
def test_frames_agree_with_the_rightly_exposed_one(right: np.ndarray, stops: int, limit: float) -> None:
    lab, whole = series.patches(stops)
    assert whole.sum() >= 6
    assert delta_e(lab, right)[whole].mean() < limit


def test_the_chart_is_what_was_photographed(right: np.ndarray) -> None:
    # the base rendering is a curve on the largest colour: lightness is in the order of the chart's
    half = slice(series.SIDE // 2, None, series.SIDE)
    chart = series.chart()[half, half] @ between(SPACES["rec2020"], SPACES["srgb"]).T
    order = np.corrcoef(lab_of(chart, SPACES["srgb"])[..., 0].ravel(), right[..., 0].ravel())[0, 1]
    assert order > 0.98
