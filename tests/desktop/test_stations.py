"""What the stations' controls do to the picture, in the real window: sensor, colour, noise, and who is repainted."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton, QWidget

from irvane.core.line.tasks import REFINE, REFINED
from irvane.core.settings import names, spec
from irvane.desktop.item import BARE
from irvane.desktop.line.controls import ChoiceRow

from .conftest import Driver


def _choose(driver: Driver, path: str, value: str) -> None:
    station = path.partition(".")[0]
    if driver.window.band.station != station:
        driver.window.band.toggle(station)
    row = driver.window.shelf.stations[station].rows[path]
    assert isinstance(row, ChoiceRow)
    box = row.box
    box.setCurrentIndex([key for key, _ in spec(path).options].index(value))
    box.activated.emit(box.currentIndex())
    driver.settled()


def _warmth(pixels: np.ndarray) -> float:
    return float(pixels[..., 0].mean() / max(pixels[..., 2].mean(), 1))


def test_named_lights_change_the_picture_and_as_shot_brings_it_back(driver: Driver) -> None:
    shot = _warmth(driver.pixels())
    _choose(driver, "colour.light", "shade")
    shade = _warmth(driver.pixels())
    _choose(driver, "colour.light", "tungsten")
    tungsten = _warmth(driver.pixels())
    assert tungsten < shade, "light taken for warm makes the picture cooler"
    row = driver.row("colour.temperature")
    assert 2800 < row.box.value() < 2900, "the light's temperature is shown"
    assert "tungsten" in driver.window.band._words["colour"]
    driver.row("colour.tint")
    button = next(b for b in driver.window.shelf.findChildren(QPushButton) if b.text() == "As shot")
    driver.click(button)
    driver.settled()
    assert driver.settings().colour.light == "shot"
    assert _warmth(driver.pixels()) == pytest.approx(shot, rel=0.01)
    driver.window.session.undo.undo()
    driver.settled()
    assert driver.settings().colour.light == "tungsten"


def test_temperature_can_be_moved_from_a_named_light(driver: Driver) -> None:
    _choose(driver, "colour.light", "cloud")
    driver.window.proofs.edit("colour.temperature", 4200.0)
    driver.settled()
    settings = driver.settings().colour
    assert (settings.light, settings.temperature, settings.tint) == ("cloud", 4200.0, None)


def test_banding_and_defects_are_choices_of_the_sensor_station(driver: Driver) -> None:
    _choose(driver, "sensor.banding", "both")
    assert driver.settings().sensor.banding == "both"
    _choose(driver, "sensor.banding", "off")
    _choose(driver, "sensor.defects", "off")
    bench = driver.window.bench
    frame = driver.window.service.engine.best(bench.item(0).source, driver.settings().sensor)
    assert frame is not None
    assert frame.developed.defects == 0 and frame.developed.banding.sigma == 0


def test_every_setting_has_a_control_with_its_help(driver: Driver) -> None:
    for station, page in driver.window.shelf.stations.items():
        assert set(page.rows) == set(names(station))
        for path, row in page.rows.items():
            tips = [child.toolTip() for child in row.findChildren(QWidget)]
            assert any(spec(path).help in tip for tip in tips), path


def test_two_panes_with_the_same_proof_are_served_by_one_picture(
    driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench = driver.window.bench
    bench.show_proof(1, bench.contents[0].proof)
    driver.settled()
    asked: list[int] = []
    original = driver.window.service.show
    monkeypatch.setattr(
        driver.window.service, "show", lambda pane, request: (asked.append(pane), original(pane, request))
    )
    driver.window.proofs.edit("light.exposure", 0.7)
    driver.settled()
    assert len(set(asked)) == 1
    np.testing.assert_array_equal(driver.pixels(0), driver.pixels(1))
    bench.show_proof(1, BARE)
    driver.settled()
    assert np.abs(driver.pixels(0) - driver.pixels(1)).mean() > 2


def test_a_change_of_one_proof_leaves_the_other_pane_alone(driver: Driver) -> None:
    bench = driver.window.bench
    assert bench.contents[1].proof == BARE
    other = bench.contents[1].current
    driver.window.proofs.edit("light.exposure", 1.1)
    driver.settled()
    assert bench.contents[1].current is other or bench.contents[1].exact is not None


def test_noise_words_say_what_was_measured(driver: Driver, frames: Path) -> None:
    driver.key(Qt.Key.Key_3)
    driver.settled()
    words = driver.window.shelf.noise_words.text()
    assert "noise profile" in words and "Automatic denoises at 100 %" in words and "dB at mid-grey" in words


def test_the_rail_tells_the_diagnosis_on_hover(driver: Driver) -> None:
    driver.choose("bench-iso6400.dng")
    driver.settled()
    model = driver.window.rail.rows
    number = driver.window.proofs.item().number
    tip = model.index(model.place_of(number), 0).data(Qt.ItemDataRole.ToolTipRole)
    assert "strong noise" in tip.lower() and "clipped" in tip and "Automatic denoises" in tip


def test_each_method_says_how_long_it_takes_here(driver: Driver) -> None:
    window = driver.window
    driver.choose("bench-iso6400.dng")
    window.band.toggle("noise")
    window.service.engine.paces.values.update(best=40.0, fast=10.0)
    window._update_controls()
    h, w = window.bench.contents[0].extent
    words = window.shelf.noise_words.text()
    assert f"best about {40 * h * w / 1e6:.0f} s" in words
    assert f"fast about {10 * h * w / 1e6:.0f} s" in words


def test_quick_grades_set_several_values_in_one_undoable_step(driver: Driver) -> None:
    window = driver.window
    window.band.toggle("noise")
    even = driver.settings()
    driver.click(window.shelf.grade_buttons["gentle"])
    gentle = driver.settings().noise
    assert gentle.luminance < 100 and gentle.texture > 0 and gentle.amount is None
    driver.click(window.shelf.grade_buttons["firm"])
    assert driver.settings().noise.amount > 100 and driver.settings().noise.texture == 0
    window.session.undo.undo()
    assert driver.settings().noise == gentle
    driver.click(window.shelf.grade_buttons["even"])
    assert driver.settings() == even


def test_controls_over_scale_and_brightness_repaint_without_denoising_again(driver: Driver) -> None:
    window = driver.window
    window.bench.set_zoom(1.0)
    driver.settled()
    calls = []
    engine = window.service.engine
    usual = engine.do
    engine.do = lambda *a, **k: calls.append(a) or usual(*a, **k)  # type: ignore[method-assign]
    for path in ("noise.fine", "noise.midtones", "noise.blue", "noise.texture", "noise.grain"):
        before = driver.pixels()
        driver.window.proofs.edit(path, 60.0 if path in ("noise.texture", "noise.grain") else 0.0)
        driver.settled()
        assert np.abs(driver.pixels() - before).mean() > 0.01, path
    assert not calls


def _states(driver: Driver) -> dict[str, np.ndarray]:
    """What pane A shows in each state for the first time, from now on."""
    seen: dict[str, np.ndarray] = {}
    content = driver.window.bench.contents[0]

    def note(pane: int) -> None:
        if pane == 0 and content.current is not None:
            seen.setdefault(content.state, driver.pixels())

    driver.window.bench.controller.repaint.connect(note)
    return seen


@pytest.mark.parametrize("zoom", [None, 1.0])
def test_what_is_seen_is_denoised_fast_first(zoom: float | None, driver: Driver) -> None:
    driver.window.bench.set_zoom(zoom)
    driver.window.proofs.edit("noise.amount", 0.0)
    driver.settled()
    frame = driver.window.service.engine.best(driver.window.bench.item(0).source, driver.settings().sensor)
    for made in (frame.wholes, frame.patches, frame.reduced):
        made.clear()  # as if noise had never been removed
    driver.qtbot.wait(100)  # what is still to be painted of the former proof is no state of the next one
    seen = _states(driver)
    driver.window.proofs.edit("noise.amount", 190)
    driver.settled()
    assert list(seen) == ["noisy", "rough", "final"], "in this order"
    noise = np.abs(seen["noisy"] - driver.pixels()).mean()
    assert np.abs(seen["rough"] - driver.pixels()).mean() < 0.7 * noise


@pytest.mark.parametrize("zoom", [None, 1.0])
def test_noise_does_not_flash_up_while_its_removal_is_changed(zoom: float | None, driver: Driver) -> None:
    driver.window.bench.set_zoom(zoom)
    driver.settled()
    seen = _states(driver)
    for amount in (120, 140, 160):
        driver.window.proofs.edit("noise.amount", amount)
        driver.settled()
    driver.window.proofs.edit("noise.method", "fast")
    driver.settled()
    assert set(seen) == {"rough", "final"}
    assert driver.window.bench.contents[0].state == "final"


def test_only_the_pane_that_noise_is_removed_for_tells_how_far_it_is(driver: Driver) -> None:
    bench, told = driver.window.bench, []
    assert bench.contents[1].proof == BARE
    driver.window.service.busy.connect(lambda *_: told.append([c.busy for c in bench.contents[:2]]))
    driver.window.proofs.edit("noise.method", "fast")
    driver.settled()
    assert any("removing noise" in proof for proof, _ in told)
    assert not any(bare for _, bare in told)
    assert told[-1][0] == ""


def test_what_is_seen_of_a_six_by_six_frame_is_refined_first(
    driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, steps = driver.window, []
    engine = window.service.engine
    usual = engine.do
    monkeypatch.setattr(engine, "do", lambda *a: (steps.append(a[1].kind), usual(*a))[1])
    window.bench.set_zoom(1.0)
    driver.choose("window-leaves.dng")
    driver.window.proofs.edit("noise.amount", 0.0)
    driver.settled()
    refining = [kind for kind in steps if kind in (REFINED, REFINE)]
    assert refining[0] == REFINED and REFINE in refining


def test_a_six_by_six_frame_is_refined_once_it_is_seen(driver: Driver) -> None:
    window = driver.window
    driver.choose("window-leaves.dng")
    window.band.toggle("sensor")
    window.bench.set_zoom(1.0)
    driver.settled()
    engine, content = window.service.engine, window.bench.contents[0]
    frame = engine.best(window.session.items[content.item].source, driver.settings().sensor)
    assert frame is not None and frame.developed.refined and content.state == "final"
    refined = driver.pixels()
    assert "refined" in window.band.words("sensor") and "refined" in window.shelf.sensor_words.text()
    window.proofs.edit("sensor.demosaic", "directional")
    driver.settled()
    assert np.abs(driver.pixels() - refined).max() > 2
    window.session.undo.undo()
    driver.settled()
    assert np.array_equal(driver.pixels(), refined)


def test_the_sensor_station_names_the_interpolation_of_the_picture_in_sight(driver: Driver) -> None:
    window = driver.window
    driver.choose("bench-iso6400.dng")
    window.band.toggle("sensor")
    driver.settled()
    said = [window.band.words("sensor"), window.shelf.sensor_words.text()]
    assert said[0].startswith("refined") and "Interpolation: refined-denoised" in said[1], said
    window.proofs.edit("noise.amount", 0.0)
    driver.settled()
    said = [window.band.words("sensor"), window.shelf.sensor_words.text()]
    assert all("directional" in words and "refined" not in words for words in said), said


def test_noise_of_a_finished_picture_is_removed_when_asked(driver: Driver, tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    grey = np.clip(rng.normal(120, 14, (300, 420, 3)), 0, 255).astype(np.uint8)
    image = QImage(grey.data, 420, 300, 420 * 3, QImage.Format.Format_RGB888)
    assert image.save(str(tmp_path / "scan.png"))
    driver.window.opening.open([tmp_path / "scan.png"])
    driver.until(
        lambda: any(i.source.name == "scan.png" and i.ready for i in driver.window.session.items.values())
    )
    driver.choose("scan.png")
    driver.window.bench.set_zoom(1.0)
    row = driver.row("noise.amount")
    driver.settled()
    assert "raw file gives a better result" in driver.window.shelf.noise_words.text()
    before = driver.pixels()
    row.box.setValue(100)
    driver.settled()
    assert driver.settings().noise.amount == 100
    assert driver.pixels()[40:-40, 40:-40].std() < 0.5 * before[40:-40, 40:-40].std()


def test_light_is_suggested_in_one_step_and_says_what_it_did(driver: Driver) -> None:
    driver.choose("window-leaves.dng")
    driver.settled()
    driver.window.band.toggle("light")
    driver.click(driver.window.shelf.suggest_button)
    light = driver.settings().light
    assert light.exposure != 0 or light.shadows != 0 or light.highlights != 0
    assert (
        "EV" in driver.window.surface.message.text_in_full()
        and "xposure" in driver.window.surface.message.text_in_full()
    )
    driver.settled()
    driver.window.session.undo.undo()
    light = driver.settings().light
    assert (light.exposure, light.shadows, light.highlights) == (0, 0, 0)
    driver.key(Qt.Key.Key_L)
    assert driver.settings().light != light


def test_white_balance_is_measured_over_the_frame(driver: Driver) -> None:
    driver.choose("bench-iso6400.dng")
    driver.settled()
    driver.window.band.toggle("colour")
    driver.click(driver.window.shelf.measured_button)
    driver.until(lambda: driver.settings().colour.temperature is not None)
    assert 1800 <= driver.settings().colour.temperature <= 20000
    assert "Measured over the frame" in driver.window.surface.message.text_in_full()
    driver.window.session.undo.undo()
    assert driver.settings().colour.temperature is None


def test_blur_is_told_and_undone(driver: Driver) -> None:
    window = driver.window
    driver.choose("test-card.dng")
    window.band.toggle("acutance")
    assert window.band.words("acutance") == "sharpening off"
    rows = {name: driver.row(f"acutance.{name}") for name in ("radius", "length", "angle")}
    assert not any(row.isEnabled() for row in rows.values())
    before = driver.pixels()
    window.proofs.edit_many({"acutance.deblur": "lens", "acutance.radius": 1.2})
    driver.settled()
    assert window.band.words("acutance") == "lens σ 1.2 px undone"
    assert rows["radius"].isEnabled() and not rows["length"].isEnabled()
    after = driver.pixels()
    assert np.abs(np.diff(after, axis=1)).mean() > 1.05 * np.abs(np.diff(before, axis=1)).mean()
    window.proofs.edit_many({"acutance.deblur": "motion", "acutance.length": 6.0})
    driver.settled()
    assert window.band.words("acutance") == "motion 6.0 px undone" and rows["angle"].isEnabled()
    window.proofs.edit("acutance.deblur", "auto")
    driver.settled()
    frame = window.service.engine.best(window.proofs.item().source, driver.settings().sensor)
    found = frame.context.softness
    assert found is not None and found.cause in ("none", "lens"), "the card did not move"
    window.session.undo.undo()
    assert driver.settings().acutance.deblur == "motion"


def test_a_path_is_drawn_with_mouse_and_keys_and_looked_for(driver: Driver) -> None:
    window = driver.window
    driver.choose("test-card.dng")
    window.band.toggle("acutance")
    row = window.shelf.stations["acutance"].rows["acutance.path"]
    assert not row.isEnabled(), "nothing is undone yet"
    window.proofs.edit_many({"acutance.deblur": "motion", "acutance.method": "fast"})
    driver.settled()
    driver.click(row.box)
    trail = window.trail
    assert trail.isVisible()
    centre = trail.plane.at(0, 0).toPoint()
    driver.click(trail.plane, centre + QPoint(40, 0))
    driver.settled()
    first = driver.settings().acutance.path
    assert len(first) == 2 and first[0] == (0, 0) and first[1][0] > 1
    QTest.keyClick(trail.plane, Qt.Key.Key_Up)
    driver.settled()
    assert driver.settings().acutance.path[1][1] == pytest.approx(first[1][1] - 0.1)
    assert "path" in window.band.words("acutance") and not driver.row("acutance.length").isEnabled()
    driver.click(trail.find_button)
    driver.settled()
    assert "path" in window.surface.message.text_in_full()
    QTest.keyClick(trail, Qt.Key.Key_Escape)
    assert not trail.isVisible()
    before = driver.settings()
    window.blurring.measure_lens()
    window.strip.cancel.emit()
    driver.settled()
    assert "Cancelled" in window.surface.message.text_in_full() and driver.settings() == before
    window.blurring.measure_lens()
    driver.settled()
    words = window.surface.message.text_in_full()
    kept = driver.settings().acutance
    told = "Kept for this lens" in words and kept.deblur == "lens" and kept.corners is not None
    assert told or (driver.settings() == before and ("too few" in words or "nothing to undo" in words))


def test_deblurring_waits_until_it_is_asked_for(driver: Driver) -> None:
    window = driver.window
    driver.choose("test-card.dng")
    driver.settled()
    before = driver.pixels()
    window.surface.commands.by_name["deblur_waits"].trigger()
    window.proofs.edit_many({"acutance.deblur": "lens", "acutance.radius": 1.2, "acutance.method": "fast"})
    driver.settled()
    assert np.array_equal(driver.pixels(), before), "shown without it"
    assert "waits" in window.bench.contents[0].instead
    window.surface.commands.by_name["deblur_now"].trigger()
    driver.settled()
    after = driver.pixels()
    assert np.abs(after.astype(int) - before).max() > 3 and not window.bench.contents[0].instead
    window.proofs.edit("acutance.radius", 1.5)
    driver.settled()
    assert np.array_equal(driver.pixels(), before), "another blur waits anew"
    window.surface.commands.by_name["deblur_waits"].trigger()
    driver.settled()
    assert not np.array_equal(driver.pixels(), before)
