"""Coming back: what stood on the bench stands there again, from a file that anybody may have changed."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtWidgets import QInputDialog
from pytestqt.qtbot import QtBot

from irvane.core.errors import ReadError
from irvane.core.files import benches
from irvane.core.files.benches import KeptBench, Pane, Picture, read_bench
from irvane.desktop import coming_back
from irvane.desktop.coming_back import KeptDialog
from irvane.desktop.item import BARE
from irvane.desktop.window import Window

from .conftest import Driver


@pytest.fixture(autouse=True)
def _own_places(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for module in ("coming_back", "window", "conditions"):
        monkeypatch.setattr(
            f"irvane.desktop.{module}.last_path", lambda: tmp_path / "state" / "last.bench.json"
        )
    monkeypatch.setattr("irvane.desktop.coming_back.benches_folder", lambda: tmp_path / "kept")


@pytest.fixture
def second(qtbot: QtBot, _themed: None) -> Iterator[Driver]:
    """A window of a later start, empty."""
    window = Window()
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    qtbot.waitExposed(window)
    yield Driver(window, qtbot)
    window.close()


def _told(window: Window) -> str:
    return window.surface.message.text()


def test_a_bench_is_written_and_read(tmp_path: Path) -> None:
    merge = Picture(("/a/1.dng", "/a/2.dng"), {"kind": "hdr"})
    kept = KeptBench(
        (Pane(Picture(("/a/1.dng",)), "first", without="noise"), Pane(merge, bare=True), Pane()),
        (Picture(("/a/1.dng",)), Picture(("/a/name\udce4.dng",)), merge), "wall, by night", 1, "beside", "noise", 2.0, (0.25, 0.75), (0.1, 0.2),
        ("brightness",), False, "light",
    )  # fmt: skip
    path = tmp_path / "new" / "x.bench.json"
    kept.save(path)
    assert read_bench(path) == kept
    data = json.loads(path.read_text("utf-8"))
    for change in (
        {"format": "x"},
        {"version": 2},
        {"panes": 3},
        {"centre": ["a", 1]},
        {"open": [{"paths": 1}]},
    ):
        path.write_text(json.dumps(data | change), "utf-8")
        with pytest.raises(ReadError):
            read_bench(path)
    path.write_text(json.dumps(data | {"later": 1, "zoom": 1e9, "probe": [-3, 7]}), "utf-8")
    assert (read_bench(path).zoom, read_bench(path).probe) == (8.0, (0.0, 1.0)), "kept within what can be"
    with pytest.raises(ReadError, match="not there"):
        read_bench(tmp_path / "none.bench.json")
    assert benches.path_for("a/b", tmp_path).parent == tmp_path


def test_all_stands_as_it_was_when_the_window_was_closed(
    driver: Driver, second: Driver, frames: Path
) -> None:
    window = driver.window
    driver.choose("test-card.dng")
    window.proofs.new_proof()
    window.proofs.edit("light.exposure", 1.0)
    window.bench.change_count(1)
    window.bench.show_item(2, driver.number("window-leaves.dng"), BARE)
    window.bench.set_look("green")
    window.bench.match_in("brightness", True)
    window.bench.set_zoom(2.0)
    window.bench.choose(2)
    window.bench.move_probe(120, 90)
    window.band.toggle("light")
    driver.settled()
    before = window.coming_back.now()
    assert before.zoom == 2.0 and before.station == "light" and len(before.open) == 6
    window.close()

    later = second.window
    later.surface.commands.by_name["as_it_was"].trigger()
    second.until(lambda: "as it did" in _told(later))
    second.settled()
    after = later.coming_back.now()
    assert after == before, "files, panes, proofs, zoom, place, probe, look, matching, station"
    assert [later.bench.item(k).source.name for k in range(3)] == [
        "test-card.dng",
        "test-card.dng",
        "window-leaves.dng",
    ]
    exposures = {later.bench.settings(k).light.exposure for k in (0, 1)}
    assert 1.0 in exposures, "the proof itself"
    assert later.rail.currentIndex().row() == later.rail.rows.place_of(second.number("window-leaves.dng"))
    second.until(lambda: all(item.ready for item in later.session.items.values()))


def test_what_is_not_there_any_more_is_told_and_the_rest_is_shown(
    driver: Driver, second: Driver, frames: Path
) -> None:
    driver.choose("test-card.dng")
    driver.window.bench.show_item(1, driver.number("bench-iso6400.dng"), BARE)
    driver.window.coming_back.keep("two walls, by night")
    driver.settled()
    (frames / "bench-iso6400.dng").unlink()
    later = second.window
    dialog = KeptDialog(_folder(driver), later)
    assert [dialog.names.item(k).text() for k in range(dialog.names.count())] == ["two walls, by night"]
    dialog.wanted.connect(later.coming_back.open)
    second.click(dialog.show_it)
    second.until(lambda: "bench-iso6400.dng is not there any more." in _told(later))
    second.settled()
    assert later.bench.item(0).source.name == "test-card.dng" and later.bench.item(1) is None
    second.click(KeptDialog(_folder(driver), later).remove)
    assert KeptDialog(_folder(driver), later).names.count() == 0


def _folder(_driver: Driver) -> Path:
    return coming_back.benches_folder()


def test_a_merge_comes_back_with_its_proofs(driver: Driver, second: Driver) -> None:
    window = driver.window
    window.opening.merge(tuple(driver.number(f"furnace-hand-{k}.dng") for k in (1, 2, 3)))
    driver.settled()
    window.proofs.edit("light.exposure", -0.5)
    driver.settled()
    before = window.coming_back.now()
    window.close()
    later = second.window
    later.coming_back.open_last()
    second.until(lambda: "as it did" in _told(later), 90)
    second.settled()
    assert later.coming_back.now() == before
    assert later.bench.item(0).is_merge and later.bench.settings(0).light.exposure == -0.5


def test_a_comparison_is_named_in_the_window(driver: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QInputDialog, "getText", lambda *_given: (" night ", True))
    driver.window.surface.commands.by_name["keep_bench"].trigger()
    assert "Kept as “night”" in _told(driver.window)
    driver.window.coming_back.keep_meanwhile()  # a program that is killed closes no window
    driver.settled()
    assert read_bench(coming_back.last_path()) == driver.window.coming_back.now()
    coming_back.last_path().unlink()
    driver.window.coming_back.keeps = False  # a window that another program opened for one picture
    driver.window.coming_back.keep_meanwhile()
    driver.window.coming_back.keep_last()
    driver.settled()
    assert not coming_back.last_path().exists()
    driver.window.surface.commands.by_name["keep_bench"].trigger()
    assert "in place of the one of that name" in _told(driver.window)
    assert read_bench(_folder(driver) / "night.bench.json").name == "night"


def test_nothing_kept_is_a_sentence(second: Driver) -> None:
    second.window.surface.commands.by_name["as_it_was"].trigger()
    assert "No window was closed here yet" in _told(second.window)
    second.window.surface.commands.by_name["keep_bench"].trigger()
    assert "No frame is chosen" in _told(second.window)
    assert "Ctrl+B" not in second.window.bench.views[0].hint
    second.window.close()
