"""Whole processes beside LibRaw, from start to end: start-up, imports, unpacking and writing count. Writes docs/processes.md.

Run with ``python benchmarks/processes.py`` on an idle machine: wall time, median of five, both sides in turns.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from irvane.core.networks import precision
from irvane.core.simulate.demo import make_frame
from irvane.warm import warm

ROOT = Path(__file__).parent.parent
_LIBRAW = """
import sys, rawpy, tifffile
with rawpy.imread(sys.argv[1]) as raw:
    made = raw.postprocess(demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD, gamma=(1, 1), no_auto_bright=True,
                           adjust_maximum_thr=0.0, use_camera_wb=True, output_bps=16)
tifffile.imwrite(sys.argv[2], made)
"""
#: OpenVINO's kernels (oneDNN) keep to an instruction set that this variable names.
_MASKED = {"ONEDNN_MAX_CPU_ISA": "AVX2", "IRVANE_PRECISION": "f32"}
ROUNDS = 5


def seconds(command: list[str], masked: bool = False) -> float:
    """Wall time of a process."""
    start = time.perf_counter()
    subprocess.run(
        command, check=True, capture_output=True, env={**os.environ, **(_MASKED if masked else {})}
    )
    return time.perf_counter() - start


def main() -> None:
    warm()
    program = [sys.executable, "-m", "irvane.cli"]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        raw, out = folder / "frame.dng", folder / "out.tif"
        make_frame(raw, 24, iso=3200)
        develop = [*program, "develop", str(raw), "--out", str(out), "--overwrite"]
        kinds: dict[str, tuple[list[str], bool]] = {
            "LibRaw AHD and an uncompressed 16-bit TIFF": (
                [sys.executable, "-c", _LIBRAW, str(raw), str(out)],
                False,
            ),
            "`irvane develop`, denoise best": (develop, False),
            "`irvane develop --denoise-method fast`": ([*develop, "--denoise-method", "fast"], False),
            "`irvane develop --denoise off`": ([*develop, "--denoise", "off"], False),
            "`irvane info`": ([*program, "info", str(raw)], False),
        }
        times: dict[str, list[float]] = {kind: [] for kind in kinds}
        for _ in range(ROUNDS):
            for kind, (command, masked) in kinds.items():
                times[kind].append(seconds(command, masked))
        single = seconds(develop, masked=True)
    base = statistics.median(times["LibRaw AHD and an uncompressed 16-bit TIFF"])
    lines = [
        "# Whole processes",
        "",
        f"Made by `python benchmarks/processes.py` on {os.cpu_count()} processor cores, 24 megapixels at ISO 3200, both sides as fresh",
        f"processes in turns, wall time, median of {ROUNDS}. Networks compute in {precision()} here.",
        "",
        "| process | seconds | ratio |",
        "|---|---|---|",
    ]
    for kind, found in times.items():
        lines.append(f"| {kind} | {statistics.median(found):.2f} | {statistics.median(found) / base:.2f} |")
    lines += [
        f"| `irvane develop`, denoise best, networks in f32 and their kernels held to AVX2 | {single:.2f} | {single / base:.2f} |",
        "",
        "Held to AVX2: `ONEDNN_MAX_CPU_ISA=AVX2` for OpenVINO's convolutions; our own kernels are compiled for the processor",
        "as it is, and one run was timed.",
    ]
    (ROOT / "docs" / "processes.md").write_text("\n".join(lines) + "\n", "utf-8")
    print("\n".join(lines))


if __name__ == "__main__":
    main()
