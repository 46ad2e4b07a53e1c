"""Many frames on the command line: several at once, to several destinations, from a card."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from irvane.cli import main
from irvane.core.files import preferences as preferences_of
from irvane.core.files.preferences import NewFrames, Preferences


def _run(*arguments: object) -> int:
    return main([str(a) for a in arguments])


def test_several_frames_at_once_and_what_came_of_them_as_json(frames: Path, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    (tmp_path / "broken.dng").write_bytes(b"nothing")
    given = [frames / "test-card.dng", tmp_path / "broken.dng", frames / "bench-iso6400.dng"]
    assert (
        _run("develop", *given, "--out", tmp_path / "out", "--denoise", "off", "--jobs", "2", "--json") == 1
    )
    told = capsys.readouterr()
    made = {Path(one["input"]).name: one for one in json.loads(told.out)}
    assert len(made) == 3 and made["broken.dng"]["problem"] and not made["broken.dng"]["output"]
    assert Path(made["test-card.dng"]["output"]).exists() and made["test-card.dng"]["seconds"] > 0
    assert told.err.count("irvane: ") == 1 and "\r" not in told.err, "no line of progress where nobody looks"


def test_a_raw_and_a_jpeg_of_one_name_go_in_one_run(frames: Path, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    """And what cannot be read takes no name from the next."""
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "cut.jpg").write_bytes((b"\xff\xd8\xff\xe0" + b"cut") * 20)
    for name in ("cut.png", "two.png", "two.jpg"):
        cv2.imwrite(str(folder / name), np.full((40, 60, 3), 90, np.uint8))
    given = [folder / name for name in ("cut.jpg", "cut.png", "two.png", "two.jpg")]
    assert _run("develop", *given, "--out", tmp_path / "out", "--denoise", "off") == 1
    written = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert written == ["cut-png.tif", "two-jpg.tif", "two.tif"]
    assert "another input has the same name: written as two-jpg.tif" in capsys.readouterr().out


def test_frames_go_to_several_destinations_each_by_its_noise(
    frames: Path,
    tmp_path: Path,
    capsys,
    monkeypatch: pytest.MonkeyPatch,  # type: ignore[no-untyped-def]
) -> None:
    monkeypatch.setattr(
        preferences_of, "preferences", lambda: Preferences(new_frames=NewFrames((("strong noise", "Grey"),)))
    )
    given = frames / "bench-iso6400.dng", frames / "test-card.dng"
    assert (
        _run(
            "develop",
            *given,
            "--to",
            "web",
            "--to",
            "archive",
            "--into",
            tmp_path / "out",
            "--automatic",
            "--denoise-method",
            "fast",
        )
        == 0
    )
    told = capsys.readouterr().out
    assert sorted(p.suffix for p in (tmp_path / "out").iterdir()) == [".jpg", ".jpg", ".tif", ".tif"]
    assert "strong noise" in told and "“Grey”" in told and "noise removed as measured" in told
    grey = cv2.imread(str(tmp_path / "out" / "bench-iso6400.jpg")).astype(int)
    assert (
        np.abs(grey[..., 0] - grey[..., 2]).mean()
        < 2
        < np.ptp(cv2.imread(str(tmp_path / "out" / "test-card.jpg")).astype(int), axis=2).mean()
    )


def test_a_card_is_copied_from_the_command_line(frames: Path, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    assert _run("copy", frames, "--to", tmp_path / "to", "--names", "{n:2}-{name}") == 0
    assert "18 copied and verified" in capsys.readouterr().out
    assert len(list((tmp_path / "to").iterdir())) == 18
    assert _run("copy", frames, "--to", tmp_path / "to", "--names", "{n:2}-{name}", "--json") == 0
    assert {one["state"] for one in json.loads(capsys.readouterr().out)} == {"there already"}
    assert _run("copy", tmp_path / "none", "--to", tmp_path / "to") == 1
    assert _run("copy", frames, "--to", tmp_path / "to", "--names", "{x}") == 2


def test_merges_sets_and_plans_on_the_command_line(frames: Path, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    three = [frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)]
    for kind, ending in (("hdr", "exr"), ("fusion", "jpg"), ("join", "tif")):
        out = tmp_path / f"{kind}.{ending}"
        assert (
            _run("merge", kind, *three, "--out", out, "--ghosts", "30", "--reference", "furnace-hand-2.dng")
            == 0
        )
        assert out.exists() and "From 3 frames" in capsys.readouterr().out
    assert _run("merge", "mean", *three, "--out", tmp_path / "m.tif", "--align", "off") == 0
    assert _run("merge", "hdr", *three, "--out", tmp_path / "x.exr", "--reference", "none.dng") == 2
    assert _run("merge", "hdr", *three, "--out", tmp_path / "x.exr", "--ghosts", "300") == 2
    capsys.readouterr()
    assert _run("sets", frames, "--json") == 0
    found = json.loads(capsys.readouterr().out)
    assert any(
        one["kind"] == "bracket" and len(one["frames"]) == 3 and one["offsets"] == [-2, 0, 2] for one in found
    )
    assert _run("plan", "--shutter", "1/250", "--step", "2", "--frames", "3", "--focal", "24", "--json") == 0
    plan = json.loads(capsys.readouterr().out)
    assert [one["by_hand"] for one in plan["frames"]] == [True, True, True] and plan["frames"][0][
        "seconds"
    ] == 0.001
    assert _run("plan", "--shutter", "soon") == 2


def test_what_cannot_be_stitched_is_said_on_the_command_line(frames: Path, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    given = frames / "test-card.dng", frames / "window-leaves.dng"
    assert (
        _run("panorama", *given, "--out", tmp_path / "p.tif", "--projection", "planar", "--crop", "keep") == 1
    )
    assert "overlap" in capsys.readouterr().err and not (tmp_path / "p.tif").exists()


def test_every_set_of_a_folder_is_merged_by_itself(frames: Path, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    out = tmp_path / "merged"
    wanted = (
        frames / "furnace-hand-1.dng",
        frames / "furnace-hand-2.dng",
        frames / "furnace-hand-3.dng",
        frames / "test-card.dng",
    )
    assert _run("merge", "hdr", *wanted, "--sets", "--out", out, "--set", "finish.format=jpeg") == 0
    assert [p.name for p in out.iterdir()] == ["furnace-hand-1-merged.jpg"]
    assert "alone would" in capsys.readouterr().out
    assert _run("merge", "mean", *wanted, "--sets", "--out", out) == 1
    assert "no burst" in capsys.readouterr().err
    assert _run("merge", "hdr", *wanted, "--sets", "--out", tmp_path / "x.tif") == 2
