"""After ``irvane warm`` nothing is left to compile for what people do first."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

_DAY = """
import sys
from pathlib import Path
from irvane.cli import main
frames, out = Path(sys.argv[1]), Path(sys.argv[2])
one, six = str(frames / "bench-iso6400.dng"), str(frames / "window-leaves.dng")
furnace = [str(p) for p in sorted(frames.glob("furnace-*.dng"))][:2]
for words in (
    ["develop", one, "--out", str(out / "a.tif")],
    ["develop", six, "--out", str(out / "b.jpg"), "--denoise", "120", "--set", "noise.grain=20"],
    ["develop", one, "--out", str(out / "c.tif"), "--denoise-method", "fast", "--suggest"],
    ["develop", str(out / "a.tif"), "--out", str(out / "d.tif"), "--denoise", "100"],
    ["merge", "hdr", *furnace, "--out", str(out / "e.tif")],
    ["info", one, "--measure"],
    ["measure", one, "--at", "100,100,64,64"],
    ["compare", one, "--try", "noise.amount=0,100"],
):
    assert main(words) == 0, words
"""


def _compiled(folder: Path) -> set[str]:
    return {path.name for path in folder.rglob("*.nbc")}


def test_nothing_is_compiled_after_warming(frames: Path, tmp_path: Path) -> None:
    kernels = tmp_path / "kernels"
    kernels.mkdir()
    environment = {**os.environ, "IRVANE_KERNELS": str(kernels)}

    def run(*words: str) -> None:
        done = subprocess.run(
            [sys.executable, *words],
            env=environment,
            capture_output=True,
            text=True,
            check=False,
            timeout=900,
        )
        assert done.returncode == 0, done.stderr[-2000:]

    run("-m", "irvane.cli", "warm")
    assert list(kernels.glob("*/irvane-warm.txt"))
    before = _compiled(kernels)
    assert len(before) > 100
    # the list holds everything that the rehearsal takes: it is as new as the kernels
    run("-c", "from irvane.rehearsal import rehearse; rehearse()")
    assert _compiled(kernels) == before
    (tmp_path / "out").mkdir()
    run("-c", _DAY, str(frames), str(tmp_path / "out"))
    from test_privacy import _WINDOW

    run("-c", _WINDOW, str(frames / "bench-iso6400.dng"))
    assert _compiled(kernels) == before
