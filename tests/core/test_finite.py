"""Finite in, finite out: any settings on any light give finite scene light and display light within 0…1."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irvane.core.colour.rendering import encode, to_screen
from irvane.core.declaring import Choice, Cropping, Name, Number
from irvane.core.files.info import FrameInfo
from irvane.core.image import BRIGHTEST, finite
from irvane.core.kernels import keep_finite, read
from irvane.core.line.context import Context, make_context
from irvane.core.line.develop import Developed, develop
from irvane.core.line.source import DISPLAY, SCENE, Loaded
from irvane.core.line.view import scene_patch, show
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings, names, spec

STATIONS = ("lens", "noise", "light", "colour", "acutance")
PATHS = [path for station in STATIONS for path in names(station)]


def _light() -> np.ndarray:
    """Black, negative, tiny, ordinary and enormous light side by side, sharp edges between."""
    rng = np.random.default_rng(0)
    values = np.array([0.0, -0.02, 1e-7, 0.18, 1.0, 40.0, 65_504, BRIGHTEST, -BRIGHTEST], np.float32)
    picture = values[rng.integers(0, values.size, (60, 90, 3))]
    picture[:20] = 0
    picture[20:40, :45] = (2e4, -0.01, 0)
    return np.ascontiguousarray(picture)


def _frame(entry: str) -> tuple[Developed, Context]:
    light = _light() if entry == SCENE else np.clip(_light(), 0, 1)
    developed = develop(Loaded(entry, None, light, None, None, 0, FrameInfo(), ()), Settings().sensor)
    return developed, make_context(developed)


FRAMES = {entry: _frame(entry) for entry in (SCENE, DISPLAY)}


def _ends(path: str) -> list[object]:
    declared = spec(path)
    if isinstance(declared, Number):
        return [declared.low, declared.high]
    if isinstance(declared, Choice):
        return [key for key, _ in declared.options]
    if isinstance(declared, Name):
        return ["auto", "off", "Canon EF 24-105mm f/4L IS USM", "No such lens"]
    if isinstance(declared, Cropping):
        return [(), (0.0, 0.0, 100.0, 100.0), (30.0, 20.0, 40.0, 55.0), (-20.0, 60.0, 90.0, 80.0)]
    return [((-12.0, -12.0), (0.0, 8.0)), ((-12.0, 8.0), (8.0, 8.0))]


def _check(entry: str, chosen: Settings) -> None:
    developed, context = FRAMES[entry]
    patch = scene_patch(developed, chosen, context, OutputRegion(0, 0, 60, 90))
    assert np.isfinite(patch.pixels).all()
    for space in ("srgb", "rec2020"):
        shown = show(patch, developed, chosen, space)
        assert np.isfinite(shown).all() and shown.min() >= 0 and shown.max() <= 1
        to_screen(shown, space)


@pytest.mark.parametrize("entry", FRAMES)
@pytest.mark.parametrize("path", PATHS)
def test_every_setting_at_both_ends_of_its_range(entry: str, path: str) -> None:
    for value in _ends(path):
        _check(entry, Settings().with_value(path, value))


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_any_settings_together(data: st.DataObject) -> None:
    chosen = Settings()
    for path in data.draw(st.lists(st.sampled_from(PATHS), max_size=14, unique=True)):
        chosen = chosen.with_value(path, data.draw(st.sampled_from(_ends(path))))
    _check(data.draw(st.sampled_from(list(FRAMES))), chosen)


NO_NUMBERS = np.array(
    [np.nan, np.inf, -np.inf, 3e38, -3e38, 1e30, 0.5, 0.0, -0.0, 1e-40, 2e12, 0.25], np.float32
)


def test_what_is_no_number_is_replaced_at_entry_and_between_steps() -> None:
    found, count = finite(NO_NUMBERS.copy())
    assert count == 7 and np.abs(found).max() <= BRIGHTEST and found[0] == 0
    held = keep_finite(NO_NUMBERS.copy())
    assert held[0] == 0 and held[1] == held[3] == pytest.approx(1e12) and held[2] == pytest.approx(-1e12)
    np.testing.assert_array_equal(held[6:10], NO_NUMBERS[6:10])


def test_tables_are_never_read_out_of_bounds() -> None:
    """What is no number ends in some entry of the table, not in somebody else's memory."""
    table = np.linspace(0, 1, 17).astype(np.float32)
    places = np.concatenate([NO_NUMBERS, [-1e9, 1e9, 15.5, 16.0, 17.0]]).astype(np.float32)
    read(table, places)
    assert places[12 + 2] == pytest.approx(15.5 / 16)
    picture = np.repeat(NO_NUMBERS[:, None], 3, axis=1)[None]
    assert to_screen(picture).shape == (1, 12, 4)
    assert encode(picture, "srgb", 16).shape == picture.shape
