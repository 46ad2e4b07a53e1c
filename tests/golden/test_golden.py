"""The line makes what it made: every case against what is kept of it (`scripts/golden` renews those that are meant to change)."""

from __future__ import annotations

import numpy as np
import pytest

from irvane.core.settings import STATIONS, names, newest_methods

from .cases import CASES
from .making import CLOSE, PROCESSOR, STEP, made_of, path_of, processor

#: On another kind of processor than the results were made on, a decision may fall another way at so many values of a picture.
_ODD = 0.1


def _far(found: np.ndarray, kept: np.ndarray, by: float) -> float:
    """Share of the values that differ by more than `by`."""
    assert found.shape == kept.shape
    return float(np.mean(np.abs(found.astype(np.float64) - kept.astype(np.float64)) > by))


@pytest.mark.parametrize("name", CASES)
def test_the_line_makes_what_it_made(name: str) -> None:
    made = made_of(CASES[name])
    odd = 0.0 if processor() == PROCESSOR.read_text("ascii").strip() else _ODD
    with np.load(path_of(name), allow_pickle=False) as kept:
        assert set(made) == set(kept.files)
        for what in kept.files:
            now, then = made[what], kept[what]
            if what == "figures":
                near = 2e-3 if not odd else 0.1
                np.testing.assert_allclose(now, then, rtol=near, atol=1e-5, equal_nan=True)
            elif what.startswith("light"):
                assert _far(now, then, CLOSE / STEP) <= odd, what
            elif what == "marks":
                assert np.mean(now != then) <= odd, what
            else:
                assert _far(now, then, 1) <= odd, what


def test_every_setting_is_in_the_corpus() -> None:
    """What is not set by hand in some case would change unseen. Names of methods stand in cases of their own."""
    said = {path for case in CASES.values() for path in case.values}
    unseen = {p for station in STATIONS for p in names(station)} - said
    # how a file is coded, and what stands for a missing lens: not in the pixels of the line
    assert unseen <= {"finish.format", "finish.quality", "finish.tone", *_PROFILES}
    first = CASES["first-methods"].settings()
    assert {path for path in newest_methods() if first.get(path) == newest_methods()[path]} <= {
        "sensor.defects_by", "sensor.clipping_by", "lens.bent_by", "light.toned_by", "colour.rendered_by",
    }, "a method that has a predecessor is made by that too"  # fmt: skip


#: Of a lens that the database knows: tests/core/test_lens.py holds these against the database itself.
_PROFILES = {
    "lens.profile_distortion",
    "lens.profile_vignetting",
    "lens.profile_aberration",
    "lens.projection",
    "lens.fringe_hue",
}
