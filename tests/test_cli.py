"""The command line: its words, files and exit codes are stable."""

from __future__ import annotations

import configparser
import json
import shutil
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import cv2
import numpy as np
import OpenEXR
import pytest
import rawpy
import shots
import tifffile

from irvane.cli import main
from irvane.commands import demo


def _run(*arguments: object) -> int:
    return main([str(a) for a in arguments])


def test_develop_into_a_folder(frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "out"
    assert _run("develop", frames / "test-card.dng", frames / "window-leaves.dng", "--out", out) == 0
    for stem in ("test-card", "window-leaves"):
        picture = tifffile.imread(out / f"{stem}.tif")
        assert picture.dtype == np.uint16
        assert picture.shape == (600, 900, 3)
        assert 2000 < picture.mean() < 60000
    assert capsys.readouterr().err == ""


@pytest.mark.parametrize(("depth", "dtype"), [(8, np.uint8), (16, np.uint16), (32, np.float32)])
def test_depth_and_space(frames: Path, tmp_path: Path, depth: int, dtype: type) -> None:
    target = tmp_path / "o.tif"
    assert (
        _run(
            "develop",
            frames / "test-card.dng",
            "--out",
            target,
            "--depth",
            depth,
            "--space",
            "prophoto",
            "--denoise",
            "off",
        )
        == 0
    )
    assert tifffile.imread(target).dtype == dtype
    with tifffile.TiffFile(target) as file:
        assert b"ROMM" in file.pages.first.tags.valueof(34675).replace(b"\0", b"")


def test_flat_is_the_plain_linear_rendition_that_libraw_gives(frames: Path, tmp_path: Path) -> None:
    # LibRaw with gamma 1, no auto-brightness, no adjustment, D65 matrix and the white balance of the shot
    target = tmp_path / "flat.tif"
    path = frames / "test-card.dng"
    assert _run("develop", path, "--out", target, "--flat", "--linear") == 0
    ours = tifffile.imread(target).astype(float) / 65535
    with rawpy.imread(str(path)) as raw:
        theirs = (
            raw.postprocess(
                gamma=(1, 1), no_auto_bright=True, adjust_maximum_thr=0.0, use_camera_wb=True, output_bps=16
            ).astype(float)
            / 65535
        )
    small = [cv2.resize(p, (90, 60), interpolation=cv2.INTER_AREA) for p in (ours, theirs)]
    difference = np.abs(small[0] - small[1])
    assert np.percentile(difference, 99) < 0.02, "gratings, where the methods differ, are few"
    assert difference.mean() < 0.002


def test_exposure_by_name_is_exact_in_flat(frames: Path, tmp_path: Path) -> None:
    path = frames / "test-card.dng"
    assert _run("develop", path, "--out", tmp_path / "a.tif", "--flat", "--linear", "--depth", 32) == 0
    assert (
        _run(
            "develop",
            path,
            "--out",
            tmp_path / "b.tif",
            "--flat",
            "--linear",
            "--depth",
            32,
            "--set",
            "light.exposure=-1",
        )
        == 0
    )
    a, b = (tifffile.imread(tmp_path / name) for name in ("a.tif", "b.tif"))
    assert np.allclose(b, a / 2, atol=1e-6)


def test_denoise_lowers_noise_and_off_does_nothing(frames: Path, tmp_path: Path) -> None:
    sigma = {}
    for word in ("off", "auto", "100", "0"):
        target = tmp_path / f"{word}.tif"
        assert _run("develop", frames / "bench-iso6400.dng", "--out", target, "--denoise", word) == 0
        sigma[word] = cv2.Laplacian(tifffile.imread(target)[..., 1].astype(np.float32), cv2.CV_32F).std()
    assert sigma["auto"] < 0.75 * sigma["off"]
    assert sigma["100"] == sigma["auto"]
    assert sigma["0"] == sigma["off"]


def test_the_fast_method_is_another_one(frames: Path, tmp_path: Path) -> None:
    sigma = {}
    for method in ("best", "fast"):
        target = tmp_path / f"{method}.tif"
        words = ("--denoise", "100", "--denoise-method", method)
        assert _run("develop", frames / "bench-iso6400.dng", "--out", target, *words) == 0
        sigma[method] = cv2.Laplacian(tifffile.imread(target)[..., 1].astype(np.float32), cv2.CV_32F).std()
    assert sigma["best"] != sigma["fast"]
    assert max(sigma.values()) < 1.7 * min(sigma.values())


def test_presets_come_by_name_or_as_a_file(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    grey = tmp_path / "grey.tif"
    assert (
        _run("develop", frames / "test-card.dng", "--out", grey, "--preset", "grey", "--denoise", "off") == 0
    )
    assert np.ptp(tifffile.imread(grey).astype(int), axis=2).max() <= 3
    own = tmp_path / "own.preset.json"
    own.write_text(
        json.dumps({"format": "irvane-preset", "version": 1, "name": "own", "stations": ["light"],
                    "settings": {"light": {"exposure": 2}}})
    )  # fmt: skip
    for name, preset in (("plain", ()), ("own", ("--preset", own))):
        target = tmp_path / f"{name}.tif"
        assert _run("develop", frames / "test-card.dng", "--out", target, "--denoise", "off", *preset) == 0
    means = [tifffile.imread(tmp_path / f"{name}.tif").mean() for name in ("plain", "own")]
    assert means[1] > 1.3 * means[0]
    assert (
        _run("develop", frames / "test-card.dng", "--out", tmp_path / "x.tif", "--preset", "none such") == 2
    )
    assert "Quiet colours" in capsys.readouterr().err


def test_light_is_suggested_and_said(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    target = tmp_path / "o.tif"
    dark = ("--set", "light.exposure=-5")
    assert (
        _run("develop", frames / "test-card.dng", "--out", target, "--suggest", "--denoise", "off", *dark)
        == 0
    )
    assert "Exposure" in capsys.readouterr().out
    assert tifffile.imread(target).mean() > 8000, "the suggestion replaces what was set"
    assert _run("develop", frames / "test-card.dng", "--out", target, "--suggest") == 1
    assert "exists already" in capsys.readouterr().err


def test_settings_come_from_a_sidecar(frames: Path, tmp_path: Path) -> None:
    from irvane.core.files.proofs import Proof, Sidecar
    from irvane.core.files.sidecar import save_sidecar
    from irvane.core.settings import Settings

    dark = Settings().with_value("light.exposure", -3)
    saved = save_sidecar(Sidecar((Proof("dark", dark),)), frames / "test-card.dng", "k").path
    assert _run("develop", frames / "test-card.dng", "--out", tmp_path / "a.tif", "--settings", saved) == 0
    assert _run("develop", frames / "test-card.dng", "--out", tmp_path / "b.tif") == 0
    assert tifffile.imread(tmp_path / "a.tif").mean() < 0.5 * tifffile.imread(tmp_path / "b.tif").mean()


def test_an_existing_target_fails_that_input_only_and_doubled_names_are_told_apart(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out, other = tmp_path / "out", tmp_path / "other"
    out.mkdir()
    other.mkdir()
    (out / "test-card.tif").write_bytes(b"precious")
    (other / "window-leaves.dng").write_bytes((frames / "window-leaves.dng").read_bytes())
    code = _run(
        "develop",
        frames / "test-card.dng",
        frames / "window-leaves.dng",
        other / "window-leaves.dng",
        "--out",
        out,
    )
    assert code == 1
    told = capsys.readouterr()
    lines = told.err.strip().splitlines()
    assert len(lines) == 1
    assert "test-card.tif" in lines[0]
    assert "window-leaves-dng.tif" in told.out
    assert (out / "window-leaves-dng.tif").exists()
    assert (out / "test-card.tif").read_bytes() == b"precious"
    assert (out / "window-leaves.tif").exists()
    assert _run("develop", frames / "test-card.dng", "--out", out, "--overwrite") == 0
    assert tifffile.imread(out / "test-card.tif").shape == (600, 900, 3)


def test_bad_inputs_fail_with_one_line_each_and_the_rest_is_done(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (frames / "empty.dng").write_bytes(b"")
    (frames / "cut.dng").write_bytes((frames / "test-card.dng").read_bytes()[:30_000])
    (frames / "text.jpg").write_text("no picture")
    out = tmp_path / "out"
    names = ("empty.dng", "cut.dng", "text.jpg", "missing.dng", "test-card.dng")
    assert _run("develop", *(frames / n for n in names), "--out", out) == 1
    lines = capsys.readouterr().err.strip().splitlines()
    assert len(lines) == 4
    for name, line in zip(names, lines, strict=False):
        assert name in line
        assert "Traceback" not in line
    assert [p.name for p in out.iterdir()] == ["test-card.tif"]


def test_black_and_clipped_frames_are_valid_with_a_note(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    shots.dng(tmp_path / "black.dng", np.zeros((60, 96, 3), np.float32))
    shots.dng(tmp_path / "white.dng", np.full((60, 96, 3), 50, np.float32))
    assert _run("develop", tmp_path / "black.dng", tmp_path / "white.dng", "--out", tmp_path / "out") == 0
    assert "black throughout" in (told := capsys.readouterr().out)
    assert "clipped throughout" in told
    assert tifffile.imread(tmp_path / "out" / "black.tif").max() < 3000
    white = tifffile.imread(tmp_path / "out" / "white.tif")
    assert white.min() > 50000
    assert np.ptp(white.mean(axis=(0, 1))) < 700


def test_an_unwritable_target_is_said(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert _run("develop", frames / "test-card.dng", "--out", tmp_path / "none" / "o.tif") == 1
    assert "o.tif" in capsys.readouterr().err
    blocked = tmp_path / "file"
    blocked.write_text("x")
    assert _run("develop", frames / "test-card.dng", "--out", blocked / "sub" / "o.tif") == 1


@pytest.mark.parametrize(
    "arguments",
    [
        ("--set", "light.exposure=99"), ("--set", "light.nothing=1"), ("--set", "nonsense"), ("--denoise", "much"),
        ("--settings", "/nowhere/s.json"),
    ],
)  # fmt: skip
def test_wrong_usage_is_exit_code_two(frames: Path, tmp_path: Path, arguments: tuple[str, str]) -> None:
    assert _run("develop", frames / "test-card.dng", "--out", tmp_path / "o.tif", *arguments) == 2
    assert not (tmp_path / "o.tif").exists()


def test_usage_errors_of_the_parser_are_exit_code_two() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "irvane.cli", "develop"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 2


def test_the_error_stream_holds_our_sentences_only(frames: Path, tmp_path: Path) -> None:
    # LibRaw writes remarks of its own about damaged files, past Python
    cut = tmp_path / "cut.nef"
    content = (frames / "test-card.dng").read_bytes()
    cut.write_bytes(content[: len(content) // 2])
    command = [sys.executable, "-m", "irvane.cli", "develop", str(cut), "--out", str(tmp_path / "o.tif")]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert len(done.stderr.strip().splitlines()) == 1
    assert "cut.nef" in done.stderr


def test_info_is_json(frames: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert _run("info", frames, "--json") == 0
    told = json.loads(capsys.readouterr().out)
    assert len(told["frames"]) == 6
    assert len(told["sets"]) == 1
    assert told["frames"][0]["kind"] == "mosaic" and "noise" not in told["frames"][0]
    assert _run("info", frames, "--json", "--measure") == 0
    assert json.loads(capsys.readouterr().out)["frames"][0]["noise"]["gain"]
    assert _run("info", frames / "test-card.dng") == 0
    assert "shutter" in capsys.readouterr().out


def test_check_names_what_goes_wrong_and_counts(
    frames: Path, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    assert main(["check", str(frames)]) == 0
    assert capsys.readouterr().out.count("well, mosaic") == 6
    (frames / "broken.dng").write_bytes(b"no picture at all")
    assert main(["check", str(frames), "--json"]) == 1
    found = json.loads(capsys.readouterr().out)
    assert [Path(f["path"]).name for f in found if f["problems"]] == ["broken.dng"]
    assert not list(tmp_path.glob("*.tif")), "nothing is written"


def test_measure_is_json(frames: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert _run("measure", frames / "test-card.dng", "--at", "60,110,40,40", "--json") == 0
    told = json.loads(capsys.readouterr().out)
    assert told["pixels"] == 1600
    assert told["snr_db"] > 10
    assert _run("measure", frames / "test-card.dng", "--at", "60,110") == 2
    assert _run("measure", frames / "test-card.dng", "--at", "890,110,40,40") == 1


def test_merge_hdr_to_exr_and_fusion_to_tiff(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    bracket = [frames / f"furnace-hand-{k}.dng" for k in (1, 2, 3)]
    assert _run("merge", "hdr", *bracket, "--out", tmp_path / "m.exr") == 0
    with OpenEXR.File(str(tmp_path / "m.exr")) as file:
        light = file.channels()["RGB"].pixels
    assert light.dtype == np.float32
    assert light.max() > 2
    assert _run("merge", "fusion", *bracket, "--out", tmp_path / "f.tif") == 0
    assert tifffile.imread(tmp_path / "f.tif").dtype == np.uint16
    assert _run("merge", "hdr", *bracket, "--out", tmp_path / "m.exr") == 1
    assert "exists" in capsys.readouterr().err
    assert _run("merge", "hdr", bracket[0], "--out", tmp_path / "x.exr") == 2
    place = "50,50,12,furnace-hand-1.dng"
    plain, taken = [], ("--take", place)
    for name, more in (("p.exr", ()), ("t.exr", taken)):
        plainly = ("--set", "light.tone_map=none", "--set", "light.black=0", "--ghosts", 0)
        assert _run("merge", "hdr", *bracket, *more, *plainly, "--out", tmp_path / name) == 0
        with OpenEXR.File(str(tmp_path / name)) as file:
            plain.append(np.maximum(file.channels()["RGB"].pixels, 0) + 1e-4)
    changed = np.abs(np.log2(plain[0] / plain[1])).max(axis=2) > 0.02
    y, x = np.nonzero(changed)
    h, w = changed.shape
    assert changed.any() and np.median(np.hypot(x - w / 2, y - h / 2)) < 0.14 * w, "there, and not elsewhere"
    for wrong in ("50,50,x,a", "50,50,300,furnace-hand-1.dng", "50,50,3,strange.dng"):
        assert _run("merge", "hdr", *bracket, "--take", wrong, "--out", tmp_path / "x.exr") == 2
    assert _run("merge", "hdr", bracket[0], frames / "test-card.dng", "--out", tmp_path / "x.exr") == 1


def test_the_same_seed_gives_the_same_demo(demo: Path, tmp_path: Path) -> None:
    assert _run("demo", "--data-only", tmp_path / "again", "--small", "--seed", 1) == 0
    for path in sorted(demo.glob("*.dng")):
        assert path.read_bytes() == (tmp_path / "again" / path.name).read_bytes()
    for path in (tmp_path / "again").glob("*.dng"):
        with rawpy.imread(str(path)) as raw:
            assert raw.raw_image_visible.shape == (600, 900)


def test_installed_for_this_user_and_taken_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setattr(sys, "executable", str(tmp_path / "my $files" / "python"))
    assert main(["install-desktop"]) == 0
    # Desktop Entry Specification 1.5: a key file; in Exec quotes and signs are escaped, and backslashes twice
    entry = configparser.RawConfigParser()
    entry.optionxform = str  # type: ignore[assignment,method-assign]
    entry.read(tmp_path / "data" / "applications" / "irvane.desktop")
    main_group = entry["Desktop Entry"]
    assert main_group["Exec"] == f'"{tmp_path}/my \\\\$files/irvane" open %F'
    assert main_group["TryExec"] == f"{tmp_path}/my $files/irvane"
    assert "image/x-adobe-dng" in main_group["MimeType"].split(";") and main_group["Actions"] == "develop;"
    assert entry["Desktop Action develop"]["Exec"].endswith("queue add --proofs --run %F")
    told = ElementTree.parse(tmp_path / "data" / "metainfo" / "irvane.metainfo.xml").getroot()
    assert told.tag == "component" and told.findtext("launchable") == "irvane.desktop"
    assert main(["uninstall-desktop"]) == 0
    assert not [p for p in (tmp_path / "data").rglob("*") if p.is_file() and p.name != "mimeinfo.cache"]
    assert main(["uninstall-desktop"]) == 0


@pytest.mark.skipif(shutil.which("bash") is None, reason="there is no bash here")
def test_the_shell_completes_words_of_ours(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert main(["completion", "bash"]) == 0
    (tmp_path / "irvane.sh").write_text(capsys.readouterr().out)
    ask = f"""source {tmp_path}/irvane.sh; COMP_WORDS=(irvane queue l); COMP_CWORD=2
        f=$(complete -p irvane | sed 's/.*-F \\([^ ]*\\).*/\\1/'); $f irvane l queue; echo "${{COMPREPLY[@]}}" """
    made = subprocess.run(["bash", "-c", ask], capture_output=True, text=True, check=True)
    assert made.stdout.split() == ["list"]


def test_edit_refuses_what_cannot_work_before_a_window_opens(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    frame = frames / "test-card.dng"
    (tmp_path / "there.tif").write_bytes(b"x")
    for given, out, words in (
        (frame, tmp_path / "there.tif", "exists already"), (frame, frame, "original"),
        (frame, tmp_path / "a.gif", "ending"), (tmp_path / "no.dng", tmp_path / "a.tif", "no such file"),
        (frame, tmp_path / "nowhere" / "a.tif", "folder does not exist"),
    ):  # fmt: skip
        assert _run("edit", given, "--out", out) == 1
        assert words in capsys.readouterr().err
    assert (tmp_path / "there.tif").read_bytes() == b"x"


def test_the_queue_from_the_command_line(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    (frames / "junk.nef").write_bytes(b"junk")
    plain = ("--to", "web", "--into", tmp_path / "out", "--denoise", "off")
    assert _run("queue", "add", frames / "test-card.dng", frames / "junk.nef", *plain) == 0
    assert _run("queue", "add", frames / "gone.dng", *plain) == 1
    assert _run("queue", "add", frames / "test-card.dng", "--to", "nowhere") == 2
    capsys.readouterr()

    def states() -> list[str]:
        assert _run("queue", "list", "--json") == 0
        return [entry["state"] for entry in json.loads(capsys.readouterr().out)]

    assert states() == ["waiting", "waiting"]
    assert _run("queue", "run") == 1, "one of them is no picture"
    assert "junk.nef" in capsys.readouterr().err
    assert states() == ["done", "failed"]
    assert cv2.imread(str(tmp_path / "out" / "test-card.jpg")).shape == (600, 900, 3)
    assert _run("queue", "retry") == 0 and _run("queue", "cancel") == 0
    capsys.readouterr()
    assert states() == ["done", "cancelled"]
    assert _run("queue", "clear") == 0
    assert _run("queue", "add", frames / "window-leaves.dng", "--run", *plain) == 0
    assert (tmp_path / "out" / "window-leaves.jpg").exists()
    assert _run("queue", "cancel", "nothing-like-this") == 2
    assert _run("destinations") == 0 and "web: JPEG 88 %" in capsys.readouterr().out


def test_a_library_that_the_system_lacks_is_named(monkeypatch: pytest.MonkeyPatch, capsys) -> None:  # type: ignore[no-untyped-def]
    def lacking(_args: object) -> int:
        raise ImportError("libEGL.so.1: cannot open shared object file: No such file or directory")

    monkeypatch.setattr(demo, "run", lacking)
    assert _run("demo", "--data-only") == 1
    assert "libEGL.so.1 is missing" in capsys.readouterr().err
