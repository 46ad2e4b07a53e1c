"""The test strip: its values, its crop, and that a crop is the proof's own picture."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irvane.core.line.engine import Engine
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import Request
from irvane.core.line.teststrip import (
    FEWEST,
    GRADE,
    MOST,
    crop,
    is_numeric,
    present,
    render_crop,
    strip_values,
    with_tried,
)
from irvane.core.line.view import render_view
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import STATIONS, Number, Settings, names, spec

NUMBERS = [path for station in STATIONS for path in names(station) if isinstance(spec(path), Number)]


@given(
    st.sampled_from(NUMBERS),
    st.floats(0, 1),
    st.integers(FEWEST, MOST),
    st.sampled_from([1 / 16, 0.5, 1.0, 4.0, 16.0]),
)
def test_values_lie_in_the_range_around_the_present_one(
    path: str, share: float, count: int, spread: float
) -> None:
    declared = spec(path)
    now = round(declared.low + share * (declared.high - declared.low), declared.decimals)
    values = strip_values(path, now, count, spread)
    assert now in values
    assert values == sorted(set(values)) and 2 <= len(values) <= count
    assert declared.low <= values[0] and values[-1] <= declared.high
    for value in values:
        Settings().with_value(path, value)


def test_usual_values_are_the_ones_a_hand_would_try() -> None:
    assert strip_values("light.exposure", 0.0, 5) == [-1.0, -0.5, 0.0, 0.5, 1.0]
    assert strip_values("noise.amount", 100, 5) == [50, 75, 100, 125, 150]
    assert strip_values("noise.luminance", 100, 3) == [50, 75, 100]
    assert strip_values("noise.method", "best", 5) == ["best", "fast"]


@pytest.mark.parametrize("scale", [0.5, 1.0, 4.0, None])
@pytest.mark.parametrize("centre", [(0.0, 0.0), (0.5, 0.5), (1.0, 0.9)])
def test_crops_lie_inside_the_frame(scale: float | None, centre: tuple[float, float]) -> None:
    region = crop((600, 900), centre, (220, 400), scale)
    assert 0 <= region.top < region.bottom <= 600
    assert 0 <= region.left < region.right <= 900
    if scale is None:
        assert region.right - region.left == 900 and region.step == pytest.approx(900 / 220)
    else:
        assert region.right - region.left == min(900, round(220 / scale))
        assert region.step == max(1.0, 1 / scale)


def test_a_crop_is_the_proofs_own_picture(frames: Path) -> None:
    source, engine = FileSource(frames / "bench-iso6400.dng"), Engine()
    settings = Settings().with_value("light.exposure", 0.7)
    region = OutputRegion(200, 300, 330, 470)
    alone = render_crop(engine, source, settings, region).rendered.pixels.astype(int)
    frame = engine.complete(source, Request(settings))
    whole = render_view(frame.developed, settings, frame.context, region).pixels.astype(int)
    assert np.abs(alone - whole).max() <= 2
    other = render_crop(
        engine, source, settings.with_value("sensor.defects", "off"), region
    ).rendered.pixels.astype(int)
    fast = render_crop(
        engine, source, settings.with_value("noise.method", "fast"), region
    ).rendered.pixels.astype(int)
    assert np.abs(fast - alone).max() > 2
    assert other.shape == alone.shape


def test_grades_are_tried_as_a_whole() -> None:
    settings = Settings().with_value("noise.texture", 10)
    assert present(GRADE, settings) == ""
    firm = with_tried(settings, GRADE, "firm")
    assert present(GRADE, firm) == "firm" and firm.noise.amount == 135
    assert strip_values(GRADE, "", 5) == ["gentle", "even", "firm"]
    assert not is_numeric(GRADE) and not is_numeric("noise.method") and is_numeric("light.exposure")
    assert with_tried(settings, "light.exposure", 1.5) == settings.with_value("light.exposure", 1.5)
