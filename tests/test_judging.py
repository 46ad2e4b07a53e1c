"""The commands that measure and compare."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from irvane.cli import main
from irvane.core.files.benches import KeptBench, Pane, Picture
from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.identity import content_hash
from irvane.core.files.info import FrameInfo
from irvane.core.files.proofs import Proof, Sidecar
from irvane.core.files.sidecar import save_sidecar
from irvane.core.settings import Settings
from irvane.core.simulate.camera import Body, expose, quiet
from irvane.core.simulate.folder import LADDER_FOLDER


def _run(*arguments: object) -> int:
    return main([str(a) for a in arguments])


def test_compare_tries_a_setting_and_writes_a_report(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = tmp_path / "report"
    assert (
        _run("compare", frames / "bench-iso6400.dng", "--try", "noise.amount=0,auto", "--report", folder) == 0
    )
    said = capsys.readouterr().out
    assert "dB cleaner at the judging spots" in said and str(folder / "report.html") in said
    assert {p.name for p in folder.iterdir()} == {"report.html", "report.pdf", "figures.csv", "figures.json"}
    assert (folder / "report.pdf").read_bytes().startswith(b"%PDF")
    assert (folder / "report.pdf").stat().st_size > 20_000


def test_compare_takes_proofs_and_other_pictures(frames: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = frames / "window-leaves.dng"
    proofs = (Proof("plain", Settings()), Proof("dark", Settings().with_value("light.exposure", -1)))
    save_sidecar(Sidecar(proofs=proofs), path, content_hash(path))
    assert _run("compare", path, "--proofs", "--json", "--denoise", "off") == 0
    data = json.loads(capsys.readouterr().out)
    assert [p["name"] for p in data["pictures"]] == [f"{path.name} “plain”", f"{path.name} “dark”"]
    assert data["pictures"][1]["offset_ev"] == pytest.approx(1, abs=0.03)


def test_compare_takes_what_was_kept_in_the_window(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = frames / "test-card.dng"
    bright = Proof("bright", Settings().with_values({"light.exposure": 1.0, "noise.amount": 0}), id="b")
    save_sidecar(Sidecar((Proof("Proof 1", id="a"), bright)), path, content_hash(path))
    card = Picture((str(path),))
    kept = tmp_path / "two.bench.json"
    KeptBench((Pane(card, bare=True), Pane(), Pane(card, "b")), (card,), "two").save(kept)
    assert _run("compare", "--kept", kept, "--json") == 0
    told = json.loads(capsys.readouterr().out)
    names = [one["name"] for one in told["pictures"]]
    assert names == ["test-card.dng bare", "test-card.dng “bright”"]
    assert _run("compare", "--kept", "nowhere") == 1
    assert _run("compare", path, "--kept", kept) == 2 and _run("compare") == 2


def test_compare_goes_on_past_a_bad_file(
    frames: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    bad = tmp_path / "bad.dng"
    bad.write_bytes(b"nothing")
    good = frames / "furnace-hand-1.dng", frames / "furnace-hand-2.dng"
    assert _run("compare", good[0], bad, good[1], "--json", "--denoise", "off") == 1
    out = capsys.readouterr()
    assert "bad.dng" in out.err and out.err.count("\n") == 1
    data = json.loads(out.out)
    assert len(data["pictures"]) == 2
    assert data["pictures"][1]["offset_ev"] == pytest.approx(-2, abs=0.35), "two stops apart"


@pytest.mark.parametrize("arguments", [
    ("compare", "bench-iso6400.dng"), ("compare", "bench-iso6400.dng", "--try", "noise.nothing=1"),
    ("ladder", "bench-iso6400.dng", "--chart", "1,2,3"), ("measure", "bench-iso6400.dng", "--at", "1,2"),
])  # fmt: skip
def test_wrong_usage_is_exit_code_two(frames: Path, arguments: tuple[str, ...]) -> None:
    assert _run(arguments[0], frames / arguments[1], *arguments[2:]) == 2


def test_ladder_says_its_verdict(demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert _run("ladder", demo / LADDER_FOLDER, "--limit", 20, "--report", tmp_path / "r") == 0
    said = capsys.readouterr().out
    assert "Simulated A: usable" in said and "differ from" in said
    assert (tmp_path / "r" / "report.pdf").stat().st_size > 5_000
    assert _run("ladder", demo / LADDER_FOLDER, "--json") == 0
    data = json.loads(capsys.readouterr().out)
    assert data["differ_from"] < 0 and len(data["cameras"]) == 2


def test_ladder_without_a_chart_says_so(demo: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert _run("ladder", demo / "bench-iso6400.dng", demo / "window-leaves.dng") == 1
    assert "no chart of patches" in capsys.readouterr().err


def test_measure_knows_edges_grain_and_gradients(demo: Path, capsys: pytest.CaptureFixture[str]) -> None:
    card = demo / "test-card.dng"
    # the upper left side of the first square: 5 degrees from upright
    assert _run("measure", card, "--at", "124,268,40,60", "--kind", "edge", "--json", "--denoise", "off") == 0
    edge = json.loads(capsys.readouterr().out)["edge"]
    assert 0.1 < edge["mtf50"] < 0.6 and 3 < edge["angle"] < 7
    assert _run("measure", card, "--at", "30,30,40,40", "--kind", "grain", "--json") == 0
    assert "words" in json.loads(capsys.readouterr().out)["grain"]
    assert _run("measure", card, "--at", "300,532,300,24", "--kind", "gradient", "--json") == 0
    assert json.loads(capsys.readouterr().out)["gradient"]["range"] > 0.05
    assert _run("measure", card, "--at", "30,30,40,40", "--kind", "edge") == 1
    assert "edge" in capsys.readouterr().err


def _flat(path: Path, light: np.ndarray, shutter: float, seed: int) -> None:
    body, neutral = quiet(Body("Reference")), np.array([0.52, 1.0, 0.66])
    counts = expose(light, body, iso=100, exposure=1.0, neutral=neutral, rng=np.random.default_rng(seed))
    thumb = cv2.imencode(".jpg", np.full((48, 72, 3), 120, np.uint8))[1].tobytes()
    info = FrameInfo("Irvane", "Reference", "Test 35", shutter, 4.0, 100.0, 35.0)
    write_dng(
        path, counts, body.cfa, black=body.black, white=body.white,
        colour=DngColour(body.matrix_a, body.matrix_d65, neutral), info=info,
        noise_profile=body.noise_profile(100), preview_jpeg=thumb, preview_shape=(48, 72),
    )  # fmt: skip


def test_transfer_reads_pairs_of_flat_and_dark_frames(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    paths = []
    for k, level in enumerate((0.0, 0.1, 0.4, 0.8)):
        for one in range(2):
            path = tmp_path / f"{k}-{one}.dng"
            light = np.full((240, 360, 3), level, np.float32)
            _flat(path, light, 0.001 * 2**k, 10 * k + one)
            paths.append(path)
    assert _run("transfer", *paths, "--json") == 0
    data = json.loads(capsys.readouterr().out)
    assert len(data["pairs"]) == 4
    for colour in ("red", "green", "blue"):
        assert data[colour]["saturation"] == pytest.approx(50_000, rel=0.05)
        assert data[colour]["read_noise"] == pytest.approx(3.0, rel=0.05)
    assert _run("transfer", paths[0], paths[1]) == 1
    assert "dark and bright" in capsys.readouterr().err
