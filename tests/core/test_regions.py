"""Regions: shapes against their formulas, how they combine, and that what is seen is what is written."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.cli import main
from irvane.core.declaring import Choice
from irvane.core.finish import job
from irvane.core.image import MID_GREY
from irvane.core.judge.inside import region_figures, suggested_inside
from irvane.core.judge.readings import Reading
from irvane.core.judge.side_by_side import side_by_side
from irvane.core.line.bands import Output
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.local import places_of, reference_of
from irvane.core.line.realise import realise
from irvane.core.line.view import render_view, scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.masks import Places, grid_of, mask_of, paint
from irvane.core.regions.reference import make_reference
from irvane.core.regions.region import ALLOWED, LocalRegion, Part, Stroke, from_json
from irvane.core.settings import Settings, damaged_regions, spec

_LINEAR = Part("linear", (0.5, 0.2, 0.5, 0.8))
_ROUND = Part("round", (0.4, 0.5, 0.3, 0.25, 20.0, 0.6))


def _region(part: Part = _LINEAR, **changes: object) -> LocalRegion:
    named = {name.replace("__", "."): value for name, value in changes.items()}
    return LocalRegion("a region", (part,), tuple(sorted(named.items())))


def _frame(
    iso: float = 800, settings: Settings = Settings(), light: np.ndarray | None = None
) -> tuple[Developed, Context]:
    picture = shots.photograph() * 0.8 + 0.01 if light is None else light
    return realise(shots.loaded(picture * shots.NEUTRAL.astype(np.float32), iso), settings, both=True)


def _scene(developed: Developed, settings: Settings, context: Context) -> np.ndarray:
    whole = OutputRegion(0, 0, *developed.extent)
    return trim(scene_patch(developed, settings, context, whole), whole).pixels


def test_a_gradient_of_exposure_is_a_straight_ramp_of_stops_and_ends() -> None:
    developed, context = _frame(light=np.full((240, 360, 3), 0.1, np.float32))
    base = Settings().with_value("noise.amount", 0)
    made = base.with_regions([_region(light__exposure=1.5)])
    plain, changed = (_scene(developed, s, context) for s in (base, made))
    stops = np.log2(changed[..., 1] / plain[..., 1])
    y = (np.arange(240) + 0.5) / 240
    ideal = 1.5 * np.clip(1 - (y - 0.2) / 0.6, 0, 1)
    assert np.abs(stops - ideal[:, None]).max() < 1e-3
    assert np.array_equal(changed[200:], plain[200:]), "nothing below its end, exactly"


def test_changes_of_overlapping_regions_add_and_choices_go_to_the_strongest() -> None:
    developed, context = _frame()
    twice = Settings().with_regions([_region(_ROUND, light__exposure=0.5)] * 2)
    once = Settings().with_regions([_region(_ROUND, light__exposure=1.0)])
    np.testing.assert_allclose(
        _scene(developed, twice, context), _scene(developed, once, context), rtol=2e-5, atol=1e-6
    )
    whole = Part("linear", (0.5, 2.0, 0.5, 3.0))  # all of the frame
    for path, half in (("colour.saturation", 10.0), ("light.shadows", 0.3), ("noise.luminance", -20.0)):
        name = path.replace(".", "__")
        both = Settings().with_regions([_region(whole, **{name: half})] * 2)
        frame = Settings().with_value(path, Settings().get(path) + 2 * half)
        off = np.abs(_scene(developed, both, context) - _scene(developed, frame, context))
        change = np.abs(_scene(developed, frame, context) - _scene(developed, Settings(), context))
        assert off.mean() < 0.08 * change.mean(), path
    weak = replace(_region(whole, acutance__automatic="on"), opacity=0.4)
    strong = _region(whole, acutance__automatic="off")
    sharp = Settings().with_regions([weak, strong])
    assert np.array_equal(_scene(developed, sharp, context), _scene(developed, Settings(), context))


def test_a_region_over_all_is_the_frame_s_own_setting() -> None:
    developed, context = _frame()
    whole = Part("linear", (0.5, 2.0, 0.5, 3.0))
    for path in (
        "light.shadows",
        "light.local_small",
        "colour.temperature",
        "noise.colour",
        "acutance.fine",
        "lens.fringing",
    ):
        change = {"colour.temperature": 600.0, "noise.colour": -60.0, "light.shadows": 1.0}.get(path, 40.0)
        made = Settings().with_regions([_region(whole, **{path.replace(".", "__"): change})])
        base = Settings()
        if path == "colour.temperature":
            from irvane.core.line.local import with_numbers

            base = with_numbers(made, developed, context).with_regions([])
        frame = base.with_value(path, base.get(path) + change)
        np.testing.assert_allclose(
            _scene(developed, made, context), _scene(developed, frame, context), atol=2e-5, err_msg=path
        )


@pytest.mark.parametrize(
    "geometry", [{}, {"lens.straighten": 3.0, "lens.crop": (10, 8, 70, 75)}], ids=["plain", "bent"]
)
def test_what_is_seen_is_written_with_every_setting_in_two_overlapping_regions(
    geometry: dict[str, object],
) -> None:
    developed, context = _frame()
    changes = {}
    for path in ALLOWED:
        declared = spec(path)
        if isinstance(declared, Choice):
            changes[path] = {"acutance.deblur": "lens", "acutance.automatic": "on"}[path]
        else:
            changes[path] = 0.2 * min(declared.high - declared.low, 2.0 if declared.unit == "EV" else 60.0)
    changes["colour.temperature"] = 900.0
    soft = LocalRegion(
        "one",
        (_ROUND, Part("tone", (-3.0, 1.0, 1.0), "intersect")),
        tuple(sorted(changes.items())),
        feather=2.0,
    )
    other = LocalRegion(
        "two", (_LINEAR,), (("acutance.fine", 50.0), ("colour.saturation", -40.0), ("light.exposure", -0.7))
    )
    settings = Settings().with_values({**geometry, "acutance.radius": 1.0}).with_regions([soft, other])
    developed, context = _frame(settings=settings)
    whole = job.assemble(developed, settings, context, Output(), 8)
    h, w = whole.shape[:2]
    plain = job.assemble(developed, settings.with_regions([]), context, Output(), 8)
    assert np.abs(whole.astype(int) - plain).mean() > 2
    for box in (OutputRegion(0, 0, h, w), OutputRegion(h // 5, w // 6, h // 2, w // 2)):
        shown = render_view(developed, settings, context, box).pixels[..., :3].astype(int)
        off = np.abs(shown - whole[box.top : box.bottom, box.left : box.right])
        assert off.max() <= 1, box


def test_a_region_stays_on_its_thing_after_cropping_and_straightening() -> None:
    developed, context = _frame()
    settings = Settings().with_values({"lens.straighten": 4.0, "lens.crop": (15, 20, 60, 55)})
    from irvane.core.line.context import geometry_for

    geometry = geometry_for(settings, context)
    reference = reference_of(developed, context)
    spot = LocalRegion("spot", (Part("round", (0.42, 0.47, 0.03, 0.03, 0.0, 0.0)),))
    at = places_of(geometry, 0, 0, 1.0, geometry.output)
    mask = mask_of(spot, reference, at)
    y, x = (float(np.mean(v)) + 0.5 for v in np.nonzero(mask > 0.5))
    there = geometry.to_frame(np.array([[x, y]]))[0] / geometry.frame[::-1]
    assert there == pytest.approx((0.42, 0.47), abs=0.003)


def _grey(stops: np.ndarray) -> object:
    light = np.repeat((MID_GREY * np.exp2(stops))[..., None], 3, axis=2).astype(np.float32)
    return make_reference(light, stops.shape, np.full((1, 1), np.nan, np.float32))


def test_a_tone_spot_takes_the_dark_side_and_not_the_bright_one() -> None:
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:300, 0:400]
    stops = np.where(x < 200, -2.0, -0.5) + cv2.GaussianBlur(rng.normal(0, 3.2, (300, 400)), (0, 0), 3.0)
    assert 0.15 < stops[:, :190].std() < 0.45, "texture of about 0.3 stop"
    reference = _grey(stops)
    mask = mask_of(LocalRegion("s", (Part("spot", (0.4, 0.5, 0.3, 1.2)),)), reference, grid_of(reference))
    inside = np.hypot(x - 160, y - 150) < 110
    assert (mask > 0.5)[inside & (x < 196)].mean() > 0.95 and (mask > 0.5)[inside & (x > 204)].mean() < 0.05
    assert mask[~(np.hypot(x - 160, y - 150) < 124)].max() == 0


def test_bands_of_tone_and_hue() -> None:
    stops = np.tile(np.linspace(-6, 4, 500, dtype=np.float32), (40, 1))
    reference = _grey(stops)
    mask = mask_of(LocalRegion("t", (Part("tone", (-2.0, 1.0, 0.5)),)), reference, grid_of(reference))[20]
    assert mask[np.abs(stops[20] + 0.5) < 1.3].min() > 0.99
    assert mask[(stops[20] < -2.6) | (stops[20] > 1.6)].max() < 0.01
    half = np.interp(-2.25, stops[20], mask)
    assert half == pytest.approx(0.5, abs=0.1)
    colours = np.zeros((30, 90, 3), np.float32)
    colours[:, :30], colours[:, 30:60], colours[:, 60:] = (0.5, 0.1, 0.1), (0.1, 0.5, 0.1), (0.3, 0.3, 0.3)
    found = make_reference(colours, (30, 90), np.full((1, 1), np.nan, np.float32))
    mask = mask_of(LocalRegion("h", (Part("hue", (0.0, 60.0, 20.0)),)), found, grid_of(found))[15]
    assert mask[10] > 0.99 and mask[45] < 0.01 and mask[75] < 0.01, "red, not green, and grey has no hue"


def test_the_brush_paints_builds_up_erases_and_follows_contours() -> None:
    reference = _grey(np.where(np.arange(300)[None, :] < 150, -1.0, 0.0) * np.ones((200, 1)))
    mask = np.zeros((200, 300), np.float32)
    stroke = Stroke((0.2, 0.5, 1.0, 0.3, 0.5, 1.0), 0.1, 0.0, 0.5)
    paint(mask, stroke, reference)
    assert mask[100, 75] == pytest.approx(0.5) and mask[100, 20] == 0
    paint(mask, stroke, reference)
    assert mask[100, 75] == pytest.approx(0.75), "builds up"
    paint(mask, replace(stroke, erases=True, opacity=1.0), reference)
    assert mask[100, 75] == 0 and mask.mean() < 0.003
    mask[:] = 0
    follow = Stroke((0.44, 0.3, 1.0, 0.44, 0.7, 1.0), 0.3, 0.1, 1.0, follows=True)
    paint(mask, follow, reference)
    edge = (mask[70:130] > 0.5).sum(axis=1) + np.argmax(mask[70:130] > 0.5, axis=1)
    assert np.abs(edge - 150).mean() <= 2.0, "keeps to the contour under its middle"


def test_what_is_painted_is_as_fine_as_the_frame_in_tiles_where_it_is() -> None:
    from irvane.core.regions.painted import TILE, painted

    small = np.full((400, 600, 3), 0.18, np.float32)
    reference = make_reference(small, (4000, 6000), np.full((1, 1), np.nan, np.float32))
    hard = Stroke((0.5, 0.5, 1.0), 0.1, 0.0)  # a disc of 600 pixels
    region = LocalRegion("a", (Part("brush", strokes=(hard,)),))
    y, x = np.mgrid[1990:2010, 3280:3320] + 0.5
    mask = mask_of(
        region, reference, Places((x / 6000).astype(np.float32), (y / 4000).astype(np.float32), 2 / 3)
    )
    row = mask[10]
    crossing = 3280.5 + float(np.interp(0.5, row[::-1], np.arange(40)[::-1]))
    assert crossing == pytest.approx(3300, abs=1.0), (
        "its border lies where it was painted, to a pixel of the frame"
    )
    assert ((row > 0.02) & (row < 0.98)).sum() <= 3, "and is as sharp as the brush"
    # the same in one piece and in tiles, erased and built up; far away there is nothing
    strokes = (
        hard,
        Stroke((0.45, 0.5, 1.0, 0.55, 0.5, 0.5), 0.02, 0.7, 0.6, erases=True),
        Stroke((0.5, 0.45, 1.0), 0.03, 0.5, 0.5),
    )
    whole = painted(strokes, (4000, 6000), 1600, 2600, 2400, 3400)
    part = painted(strokes, (4000, 6000), 1900, 2900, 2100, 3100)
    assert np.array_equal(whole[300:500, 300:500], part) and whole.max() > 60000 > whole[400, 400]
    assert not painted(strokes, (4000, 6000), 0, 0, TILE, TILE).any()


def test_figures_inside_a_region_are_those_of_its_places() -> None:
    light = np.full((480, 720, 3), 0.05, np.float32)
    light[:, 360:] = 0.4
    base = Settings().with_value("noise.amount", 0)
    developed, context = _frame(1600, base, light)
    left = LocalRegion("left", (Part("linear", (0.49, 0.5, 0.5, 0.5)),))
    found, other = (region_figures(r, developed, base, context) for r in (left, replace(left, inverted=True)))
    assert found is not None and other is not None and len(found.places) >= 8
    assert found.name == "left" and other.probe.luminance > 5 * found.probe.luminance
    # noise grows with the root of light: Poisson
    ratio = other.probe.sigma_luminance / found.probe.sigma_luminance
    assert 1.8 < ratio < 3.2
    told = side_by_side([Reading(found), Reading(other)])
    noise = told.figure("noise", 0)
    assert noise is not None and noise.value == pytest.approx(found.probe.snr_db, abs=0.1)
    nowhere = LocalRegion("none", (Part("tone", (7.0, 7.5, 0.1)),))
    assert region_figures(nowhere, developed, base, context) is None
    dark, bright = (
        suggested_inside(r, developed, context, 3.0) for r in (left, replace(left, inverted=True))
    )
    assert dark is not None and bright is not None and dark.exposure > bright.exposure + 2
    assert suggested_inside(nowhere, developed, context, 3.0) is None


def test_parts_add_subtract_intersect_grow_and_feather() -> None:
    reference = _grey(np.zeros((200, 300)))
    at = grid_of(reference)
    left, right = (Part("round", (x, 0.5, 0.2, 0.2, 0.0, 0.0)) for x in (0.4, 0.6))

    def area(*parts: Part, **more: object) -> float:
        return float(mask_of(LocalRegion("m", parts, **more), reference, at).sum())  # type: ignore[arg-type]

    one, both = area(left), area(left, replace(right, operation="intersect"))
    assert area(left, right) == pytest.approx(2 * one - both, rel=0.01)
    assert area(left, replace(right, operation="subtract")) == pytest.approx(one - both, rel=0.01)
    assert area(left, inverted=True) == pytest.approx(200 * 300 - one, rel=0.01)
    radius = np.sqrt(one / np.pi)
    by = 2.0 / 100 * np.hypot(200, 300)
    assert area(left, grow=2.0) == pytest.approx(np.pi * (radius + by) ** 2, rel=0.04)
    assert area(left, feather=6.0) == pytest.approx(one, rel=0.03)
    feathered = mask_of(LocalRegion("m", (left,), feather=6.0), reference, at)
    assert 0.2 < feathered[100, 60] < 0.8, "soft at what was its border"


def test_regions_survive_json_and_damaged_ones_are_kept_and_do_nothing() -> None:
    stroke = Stroke((0.1, 0.2, 1.0, 0.3, 0.4, 0.5), 0.05)
    region = LocalRegion(
        "sky",
        (Part("brush", strokes=(stroke,)), Part("linear", (0, 0, 0, 1), "subtract", True)),
        (("light.exposure", 0.7),),
    )
    settings = Settings().with_regions([region])
    again = Settings.from_dict(json.loads(json.dumps(settings.as_dict())))
    assert again == settings
    data = settings.as_dict()
    strange = {"name": "old", "parts": [{"kind": "no such", "numbers": []}], "changes": {}, "own": [1, 2]}
    data["regions"] = [
        strange,
        {"name": "x", "parts": [], "changes": {"finish.quality": 3}},
        *data["regions"],
    ]
    read = Settings.from_dict(data)
    assert [one.acts for one in read.regions] == [False, False, True]
    assert len(damaged_regions(read)) == 2 and all("does nothing" in words for words in damaged_regions(read))
    assert read.as_dict()["regions"][0] == strange, "nothing is lost on saving"
    assert from_json(7, {})[0].damaged and from_json({"parts": 3}, {})[0].damaged
    assert LocalRegion("a").with_change("light.exposure", 0.5).with_change("light.exposure", 0).changes == ()


def test_masks_are_written_and_regions_listed_on_the_command_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from irvane.cli import main

    frame = tmp_path / "f.dng"
    shots.dng(frame, shots.photograph())
    out = tmp_path / "m.png"
    assert main(["mask", str(frame), "--kind", "tone", "--numbers=-4,0,1", "--out", str(out)]) == 0
    mask = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert mask.dtype == np.uint8 and mask.ndim == 2 and mask.shape == shots.photograph().shape[:2]
    assert 10 < mask.mean() < 245
    assert (
        main(["mask", str(frame), "--kind", "spot", "--numbers", "1", "--out", str(out), "--overwrite"]) == 2
    )
    settings = tmp_path / "s.json"
    settings.write_text(json.dumps(Settings().with_regions([_region(light__exposure=2.0)]).as_dict()))
    for name, options in (("a.tif", []), ("b.tif", ["--settings", str(settings)])):
        assert main(["develop", str(frame), "--out", str(tmp_path / name), *options]) == 0
    a, b = (cv2.imread(str(tmp_path / n), cv2.IMREAD_UNCHANGED).astype(int) for n in ("a.tif", "b.tif"))
    h = a.shape[0]
    assert (b[: h // 3] - a[: h // 3]).mean() > 3000 and np.array_equal(
        a[int(0.85 * h) :], b[int(0.85 * h) :]
    )


def test_a_region_is_measured_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    shots.dng(tmp_path / "a.dng", shots.photograph() * 0.5)
    settings = tmp_path / "s.json"
    made = Settings().with_regions([LocalRegion("sky", (_LINEAR,))])
    settings.write_text(json.dumps(made.as_dict()), "utf-8")
    asked = ["measure", str(tmp_path / "a.dng"), "--settings", str(settings), "--json", "--region"]
    assert main([*asked, "sky"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["region"] == "sky" and told["squares"] >= 1 and told["sigma_luminance"] > 0
    assert main([*asked, "sea"]) == 1
    assert "there are: sky" in capsys.readouterr().err


def test_info_lists_the_regions_of_a_sidecar(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from irvane.cli import main
    from irvane.core.files.identity import content_hash
    from irvane.core.files.proofs import Proof, Sidecar
    from irvane.core.files.sidecar import save_sidecar

    frame = tmp_path / "f.dng"
    shots.dng(frame, shots.photograph())
    settings = Settings().with_regions([_region(light__exposure=0.7)])
    save_sidecar(Sidecar((Proof("one", settings),)), frame, content_hash(frame))
    capsys.readouterr()
    assert main(["info", str(frame), "--json"]) == 0
    (told,) = json.loads(capsys.readouterr().out)["frames"]
    assert told["regions"] == [
        {"name": "a region", "on": True, "shapes": ["linear"], "changes": {"light.exposure": 0.7}}
    ]


def test_regions_go_with_presets_and_copies_when_asked(tmp_path: Path) -> None:
    from irvane.core.files.presets import save_preset
    from irvane.core.settings import copied_settings

    region = _region(light__exposure=0.7)
    settings = Settings().with_value("light.contrast", 20).with_regions([region])
    assert copied_settings(settings, Settings(), ["light"]).regions == ()
    assert copied_settings(settings, Settings(), ["regions"]) == Settings().with_regions([region])
    preset = save_preset(tmp_path, "sky", settings, ["light", "regions"])
    assert preset.applied(Settings()).regions == (region,) and preset.applied(Settings()).light.contrast == 20
    assert save_preset(tmp_path, "light alone", settings, ["light"]).applied(Settings()).regions == ()


def test_a_damaged_region_is_told_in_a_sentence_and_the_rest_is_developed(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from irvane.cli import main

    frame = tmp_path / "f.dng"
    shots.dng(frame, shots.photograph())
    data = Settings().with_regions([_region(light__exposure=1.0)]).as_dict()
    data["regions"].append(
        {"name": "torn", "parts": [{"kind": "brush", "strokes": [{"points": [1]}]}], "changes": {}}
    )
    settings = tmp_path / "s.json"
    settings.write_text(json.dumps(data))
    assert main(["develop", str(frame), "--out", str(tmp_path / "a.tif"), "--settings", str(settings)]) == 0
    told = capsys.readouterr().err
    assert "“torn” does nothing" in told and "Traceback" not in told


def test_nothing_shows_at_the_border_of_a_region_on_a_flat_field() -> None:
    developed, context = _frame(50, light=np.full((240, 360, 3), 0.008, np.float32))
    disc = Part("round", (0.5, 0.5, 0.25, 0.25, 0.0, 0.3))
    base = Settings().with_value("noise.amount", 0)
    changes = {
        "light__shadows": 1.5,
        "light__local_large": 60.0,
        "light__local_small": 60.0,
        "acutance__coarse": 100.0,
    }
    made = base.with_regions([_region(disc, **changes)])
    plain, changed = (cv2.GaussianBlur(_scene(developed, s, context), (0, 0), 3) for s in (base, made))
    along = (changed / plain)[100:140, :, 1].mean(axis=0)
    middle, outside = along[165:195].mean(), along[10]
    assert outside == pytest.approx(1, abs=1e-6) and middle > 1.1
    assert along.max() < middle + 0.01 * outside and along.min() > outside - 0.01, (
        "no rim, brighter or darker"
    )
