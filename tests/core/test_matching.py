"""Pictures made equal before they are judged: known changes are found again, and taken back by the line's own steps."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shots

from irvane.core.image import LUMA_2020
from irvane.core.judge.matching import KINDS, Match, match
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.view import scene_patch
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings


@pytest.fixture(scope="module")
def rendered():
    camera = shots.photograph("coffee.png") * shots.NEUTRAL.astype(np.float32) * 0.6
    developed = develop(shots.loaded(np.ascontiguousarray(camera[:192, :288])), Settings().sensor)
    context = make_context(developed)

    def render(settings: Settings, offset: float = 0.0) -> np.ndarray:
        h, w = developed.extent
        return scene_patch(developed, settings, context, OutputRegion(0, 0, h, w)).pixels * np.float32(
            2.0**offset
        )

    return render


def _set(**values: float) -> Settings:
    settings = Settings().with_value("noise.amount", 0)
    for path, value in values.items():
        settings = settings.with_value(path.replace("__", "."), value)
    return settings


@pytest.mark.parametrize("stops", [-2.0, 0.3, 1.5])
def test_brightness_is_matched_within_two_hundredths(rendered, stops: float) -> None:
    found = match(rendered(_set()), rendered(_set(light__exposure=stops)), {"brightness"})
    assert found == Match(offset=pytest.approx(-stops, abs=0.02))


def test_contrast_saturation_balance_and_brightness_together(rendered) -> None:
    reference = rendered(_set())
    changed = _set(light__contrast=-25, colour__saturation=70, light__exposure=0.8)
    changed = replace(changed, light=replace(changed.light, curve_blue=((0.0, 0.0),)))
    other = rendered(changed) * np.array([1.1, 1.0, 0.9], np.float32)
    found = match(reference, other, KINDS)
    assert found.contrast == pytest.approx(25, abs=6)
    shown = rendered(found.applied(changed), found.offset)
    spread = [np.log2(np.maximum(p @ LUMA_2020, 1e-5)).std() for p in (reference, shown)]
    assert spread[1] == pytest.approx(spread[0], rel=0.08)
    level = [np.log2(np.maximum(p @ LUMA_2020, 1e-5)).mean() for p in (reference, shown)]
    assert level[1] == pytest.approx(level[0], abs=0.15)


def test_a_curve_that_is_there_already_is_raised(rendered) -> None:
    own = replace(_set().light, curve_red=((-3.0, -3.4), (0.0, 0.2)))
    changed = replace(_set(), light=own)
    plain, shown = rendered(changed), rendered(Match(red=0.3, blue=-0.2).applied(changed))
    lit = plain.min(axis=2) > 0.01
    gains = np.log2(shown[lit] / plain[lit])
    assert gains.mean(axis=0) == pytest.approx([0.3, 0, -0.2], abs=1e-3) and gains.std(axis=0).max() < 1e-3


def test_white_balance_is_found_in_ev(rendered) -> None:
    reference = rendered(_set())
    found = match(reference, reference * np.array([1.2, 1.0, 0.8], np.float32), {"white balance"})
    assert (found.red, found.blue) == pytest.approx((-np.log2(1.2), -np.log2(0.8)), abs=1e-3)


def test_each_respect_is_by_itself_and_said(rendered) -> None:
    reference, other = rendered(_set()), rendered(_set(light__exposure=1, light__contrast=20))
    only = match(reference, other, {"contrast and saturation"})
    assert only.offset == 0 and only.contrast < -5 and only.red == 0
    assert match(reference, other, set()) == Match()
    assert Match().words() == "" and Match().applied(_set()) == _set()
    words = Match(-0.5, 12, 0.9, 0.1, 0).words()
    assert (
        words == "matched: brightness −0.50 EV, contrast +12 %, saturation ×0.90, red +0.10 EV, blue +0.00 EV"
    )


def test_black_pictures_are_matched_with_nothing() -> None:
    black = np.zeros((20, 30, 3), np.float32)
    found = match(black, black, KINDS)
    assert found.contrast == 0 and found.saturation == 1 and np.isfinite(found.offset)
