"""Places of a merge that are taken from one frame by hand, and what came from where."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from test_merge import _walked

from irvane.core.errors import SettingError
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.looks import TINTS, missing, origin_words, render_look
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.merge.ghosts import Ghosts, Place, taken
from irvane.core.merge.hdr import find_movement, merge, origin_map
from irvane.core.merge.registration import plan
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings


def test_a_place_is_a_disc_and_the_whole_thing_under_its_middle() -> None:
    source = np.full((100, 150), -1, np.int16)
    source[40:60, 30:50] = 0
    found = taken(
        Ghosts((None,) * 3, source), [Place(0.27, 0.5, 0.02, 2), Place(0.8, 0.5, 0.1, 1)], (0, 1, 2)
    )
    assert (found.source[40:60, 30:50] == 2).all(), "the whole thing that moved"
    assert int((found.source == 1).sum()) == pytest.approx(np.pi * 15**2, rel=0.05), (
        "a disc where nothing moved"
    )
    assert found.counts(0, (400, 600))[200, 160] == 0 and found.counts(2, (400, 600))[200, 160] == 1
    assert found.counts(0, (400, 600))[10, 10] == 1, "elsewhere all count as before"
    assert taken(found, [Place(0.1, 0.1, 0.1, 7)], (0, 1, 2)).source[10, 15] == -1, "a frame that is left out"


def test_a_walker_is_taken_from_the_frame_that_was_asked_for() -> None:
    members, _, _ = _walked()
    how = plan(members)
    found = find_movement(members, how)
    other = next(k for k in how.used if k != how.reference)
    y, x = (
        int(v)
        for v in np.argwhere(found.source == how.reference)[
            len(np.argwhere(found.source == how.reference)) // 2
        ]
    )
    h, w = found.source.shape
    asked = find_movement(members, how, places=[Place((x + 0.5) / w, (y + 0.5) / h, 0.01, other)])
    merged = merge(members, how, found=asked).picture
    seen = members[other].picture * np.float32(how.ratios[other])
    inside = np.repeat(np.repeat(asked.source == other, 4, 0), 4, 1)
    inside = np.pad(inside, [(0, n - m) for n, m in zip(seen.shape[:2], inside.shape, strict=True)])
    inside[:8] = inside[-8:] = False
    middle = inside & (members[other].picture.max(axis=2) < 0.8)
    apart = np.abs(merged[middle] - seen[middle])
    assert middle.sum() > 100 and np.median(apart) < 1e-4, "that frame's own light"
    origin = origin_map(members, how, asked, merged)
    assert (origin[asked.source == other] == other).all() and set(np.unique(origin)) <= set(how.used)


def test_the_longest_frame_gives_the_shadows_and_the_shortest_the_lights(frames: Path) -> None:
    paths = [frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)]
    loaded = MergeSource(paths).load()
    assert loaded.origin is not None and loaded.origin.names == tuple(p.name for p in paths)
    light = loaded.picture[..., 1]
    h, w = loaded.origin.frames.shape
    cells = light[: 4 * h, : 4 * w].reshape(h, 4, w, 4).mean(axis=(1, 3))
    still = ~loaded.origin.moved
    levels = [np.median(cells[still & (loaded.origin.frames == k)]) for k in (0, 2)]
    assert levels[0] > 4 * levels[1]
    developed = develop(loaded, Settings().sensor)
    assert missing("origin", developed) == "" and "furnace-hand-3.dng" in origin_words(loaded.origin)
    context = make_context(developed)
    height, width = developed.extent
    whole = OutputRegion(0, 0, height, width, 4.0)
    seen = render_look("origin", developed, Settings(), context, whole).pixels[..., :3].astype(int)
    tints = np.array(list(TINTS.values()))
    dark = np.unravel_index(np.argmin(np.where(still, cells, np.inf)), cells.shape)
    found = seen[min(dark[0], seen.shape[0] - 1), min(dark[1], seen.shape[1] - 1)]
    assert np.argmax(found) == np.argmax(tints[loaded.origin.frames[dark]]), "in its frame's tint"


def test_places_go_along_and_strange_ones_are_refused(frames: Path) -> None:
    how = MergeOptions(places=((0.5, 0.5, 0.03, "b.dng"),))
    assert MergeOptions.from_dict(how.as_dict()) == how and "places" not in MergeOptions().as_dict()
    assert MergeOptions.from_dict({"places": [[2, 0, 0, "x"], "no", [0.1, 0.2, 0.3, 4]]}).places == ()
    paths = [frames / "furnace-hand-1.dng", frames / "furnace-hand-2.dng"]
    with pytest.raises(SettingError, match=r"b\.dng"):
        MergeSource(paths, how)
    named = MergeSource(paths, MergeOptions(places=((0.5, 0.5, 0.03, "furnace-hand-1.dng"),)))
    assert named.key != MergeSource(paths).key
