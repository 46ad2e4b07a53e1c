"""What is kept of frames: panes keep each other's pixels, and memory goes back when frames are closed or rest."""

from __future__ import annotations

import gc
import weakref
from pathlib import Path

import pytest

from irvane.core import memory, networks
from irvane.core.line.engine import Engine
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FULL, PART
from irvane.core.memory import budgets
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings
from irvane.desktop.view_request import ViewRequest

from .conftest import Driver


@pytest.mark.parametrize(
    "values", [{"lens.crop": "30,30,60,60"}, {"lens.turn": "90"}, {"lens.straighten": 2.0}, {}]
)
def test_panes_keep_each_others_denoised_pixels(driver: Driver, values: dict[str, object]) -> None:
    """Were the places of two panes compared with parts of the output, each would throw out what the other shows."""
    progressive, source = driver.window.service.progressive, driver.window.proofs.item().source
    engine = progressive.engine = Engine()
    proof = Settings().with_values({"noise.amount": 100.0, "lens.aberration": "off", **values})
    engine.make(source, FULL, proof)
    regions = OutputRegion(20, 20, 120, 160), OutputRegion(200, 210, 300, 330)
    requests = [ViewRequest(source, proof, region) for region in regions]
    for _ in range(2):
        for request in requests:
            progressive.keep_only(requests)
            frame = engine.make(source, PART, proof, request.region)
    assert len(frame.patches) == 2
    assert all(frame.clean(proof, request.region) is not None for request in requests)


def test_a_budget_follows_the_machine(monkeypatch: pytest.MonkeyPatch) -> None:
    for machine, whole in ((2, 1.0), (8, 2.0), (16, 4.0), (64, 6.0)):
        monkeypatch.setattr(memory, "total", lambda machine=machine: machine * 10**9)
        assert memory.usual_budget() == pytest.approx(whole * 1e9)
    frames, unseen, kept = budgets(6_000_000_000)
    assert 150_000_000 <= kept < 700_000_000, "a part of what lies beside frames"
    assert frames < 5.5e9 and unseen < 1.5e9
    assert budgets(1_000_000_000)[0] >= 300_000_000, "one frame of 24 megapixels at least"


def test_frames_that_are_not_seen_are_given_up_first(frames: Path) -> None:
    paths = sorted(frames.glob("furnace*.dng"))
    one = Engine().make(FileSource(paths[0]), FULL, Settings()).nbytes
    engine = Engine(budget=100 * one, unseen=one // 2)
    sources = [FileSource(path) for path in paths]
    engine.pin([(sources[0], Settings().sensor)])
    for source in sources:
        engine.make(source, FULL, Settings())
    kept = [engine.best(source, Settings().sensor) is not None for source in sources]
    assert kept == [True, False, True], "the one that is seen, and the newest"


def test_nothing_of_a_closed_frame_is_kept(driver: Driver) -> None:
    window = driver.window
    driver.choose("test-card.dng")
    window.proofs.edit_many({"acutance.deblur": "lens", "acutance.radius": 1.0, "light.tone_map": "local"})
    driver.settled()
    frame = window.service.engine.best(window.proofs.item().source, driver.settings().sensor)
    assert frame is not None
    watched = [weakref.ref(frame.developed.plain), *(weakref.ref(p) for p in frame.wholes.values())]
    del frame
    window.close_item()
    driver.settled()
    gc.collect()
    assert [one() for one in watched] == [None] * len(watched)


def test_networks_that_rest_are_given_back(driver: Driver) -> None:
    engine, source = driver.window.service.engine, driver.window.proofs.item().source
    engine.make(source, PART, Settings().with_value("noise.amount", 120), OutputRegion(0, 0, 64, 64))
    assert any(networks._POOL._free.values())
    driver.window.service._tidy()
    driver.until(lambda: not any(networks._POOL._free.values()))
