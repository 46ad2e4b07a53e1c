"""Panoramas of brackets against the light that was there: places, seams, brightness, time and memory. Writes docs/panorama.md.

    python benchmarks/panorama.py [3x2 | 3x3] …

A plane of twelve stops is photographed by a turned camera with a lens that darkens its corners; every position is a bracket.
3x2: six positions of three frames, 1.5 megapixels; 3x3: nine of seven frames, 12 megapixels, without denoising.
"""

from __future__ import annotations

import resource
import shutil
import subprocess
import sys
import tempfile
import time
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np

from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.line import stitching
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.merge.kinds import PANORAMA
from irvane.core.simulate.camera import expose, quiet
from irvane.core.simulate.demo import BODY_A
from irvane.core.store.cache import ResultCache
from photographs import TEST, load

_WHEN = datetime(2026, 3, 4, 10, 20)
_NEUTRAL = np.array([0.5, 1.0, 0.66])
#: Columns, rows, exposures in EV, height and width of a frame.
_CASES = {
    "3x2": (3, 2, (-2, 0, 2), (1000, 1500)),
    "3x3": (3, 3, (-6, -4, -2, 0, 2, 4, 6), (2832, 4240)),
}
_SEED = 5


def plane(height: int, width: int) -> np.ndarray:
    """Photographs side by side over twelve stops: linear BT.2020."""
    tiles = [
        cv2.resize(load(path)[:264, :264], (width // 4, height // 2), interpolation=cv2.INTER_CUBIC)
        for path in TEST
    ]
    whole = np.vstack([np.hstack(tiles[4 * k : 4 * k + 4]) for k in range(2)])
    # blurred backgrounds of photographs hold nothing to lay them on each other by: everything is on rough plaster
    rng = np.random.default_rng(_SEED)
    rough = sum(
        cv2.resize(
            cv2.GaussianBlur(rng.normal(0, 0.9, (height // n, width // n)).astype(np.float32), (0, 0), 1.5), whole.shape[1::-1],
            interpolation=cv2.INTER_CUBIC,
        ) for n in (1, 3, 9)
    )  # fmt: skip
    # grey, so that the camera's colours need not be undone to compare brightness
    whole = (
        np.maximum(whole.mean(axis=2, keepdims=True), 0.02)
        * np.exp2(rough)[..., None]
        * np.ones(3, np.float32)
    )
    x = np.linspace(-4.0, 3.0, whole.shape[1], dtype=np.float32)
    whole = np.maximum(whole, 0.01) * np.exp2(x)[None, :, None]
    return cv2.GaussianBlur(whole.astype(np.float32), (0, 0), 1.2)


def photograph(case: str, folder: Path) -> tuple[np.ndarray, list[Path]]:
    columns, rows, steps, (h, w) = _CASES[case]
    focal = 1.6 * w
    yaw, pitch = np.degrees(np.arctan(0.6 * w / focal)), np.degrees(np.arctan(0.55 * h / focal))
    light = plane(round((1 + 0.75 * rows) * h), round((1 + 0.85 * columns) * w))
    there = np.array([[focal, 0, light.shape[1] / 2], [0, focal, light.shape[0] / 2], [0, 0, 1]])
    own = np.array([[focal, 0, w / 2], [0, focal, h / 2], [0, 0, 1]])
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    away = ((x - w / 2) ** 2 + (y - h / 2) ** 2) / ((w / 2) ** 2 + (h / 2) ** 2)
    dimmed = np.exp2(-0.5 * away)[..., None]
    rng, paths, count = np.random.default_rng(_SEED), [], 0
    body = quiet(BODY_A)
    for r in range(rows):
        for c in range(columns):
            a, b, turn = np.radians(
                [(r - (rows - 1) / 2) * pitch + rng.normal(0, 0.3), (c - (columns - 1) / 2) * yaw + rng.normal(0, 0.3), rng.normal(0, 0.4)]
            )  # fmt: skip
            matrix = cv2.Rodrigues(np.array([0, b, 0]))[0] @ cv2.Rodrigues(np.array([a, 0, 0]))[0]
            matrix = there @ matrix @ cv2.Rodrigues(np.array([0, 0, turn]))[0] @ np.linalg.inv(own)
            view = cv2.warpPerspective(
                light, matrix, (w, h), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT_101
            )  # fmt: skip
            view = np.maximum(view, 1e-5) * dimmed
            for ev in steps:
                counts = expose(view, body, iso=100, exposure=0.7 * 2.0**ev, neutral=_NEUTRAL, rng=rng)
                small = cv2.resize(
                    view, (w * 900 // max(h, w), h * 900 // max(h, w)), interpolation=cv2.INTER_AREA
                )
                shown = np.rint(np.clip(small * 2.0**ev, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
                info = FrameInfo(
                    "Irvane", body.model, "", 2.0**ev / 50, 4.0, 100, 35.0, _WHEN + timedelta(seconds=60 * (r * columns + c) + count % len(steps))
                )  # fmt: skip
                path = folder / f"p{r}{c}-{count % len(steps)}.dng"
                write_dng(
                    path, counts, body.cfa, black=body.black, white=body.white,
                    colour=DngColour(body.matrix_a, body.matrix_d65, _NEUTRAL), info=info, noise_profile=body.noise_profile(100),
                    preview_jpeg=cv2.imencode(".jpg", shown[..., ::-1])[1].tobytes(), preview_shape=shown.shape[:2],
                )  # fmt: skip
                paths.append(path)
                count += 1
    return light, paths


def measure(case: str) -> list[tuple[str, str]]:
    folder = Path(tempfile.mkdtemp(prefix="irvane-panorama-"))
    try:
        light, paths = photograph(case, folder)
        np.save(folder / "truth.npy", light)
        del light
        began = time.perf_counter()
        subprocess.run(
            [sys.executable, __file__, "--stitch", str(folder), *map(str, paths)], check=True
        )  # its memory alone counts
        seconds = time.perf_counter() - began
        memory = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
        light, made = np.load(folder / "truth.npy"), np.load(folder / "made.npy")
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    sift = cv2.SIFT_create(nfeatures=6000)
    scale = min(1.0, 3000 / max(made.shape))
    grey = []
    for p in (made[..., 1], light[..., 1]):
        log = np.clip(np.log2(np.maximum(p, 1e-4)) * 14 + 180, 0, 255).astype(np.uint8)
        grey.append(cv2.resize(log, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))
    (ka, da), (kb, db) = (sift.detectAndCompute(g, None) for g in grey)
    matches = [m for m, n in cv2.BFMatcher().knnMatch(da, db, k=2) if m.distance < 0.7 * n.distance]
    a, b = (np.float32([k[i].pt for i in index]) for k, index in ((ka, [m.queryIdx for m in matches]), (kb, [m.trainIdx for m in matches])))  # fmt: skip
    # a centre of a reduced pixel lies half a pixel further in the whole one
    a, b = ((p + 0.5) / scale - 0.5 for p in (a, b))
    matrix, _ = cv2.findHomography(a, b, cv2.USAC_MAGSAC, 3.0)
    truth = cv2.warpPerspective(light, np.linalg.inv(matrix), made.shape[1::-1], flags=cv2.INTER_AREA)
    coded = [
        np.clip(np.log2(np.maximum(p[..., 1], 1e-4)) * 14 + 180, 0, 255).astype(np.uint8)
        for p in (made, truth)
    ]
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(*coded, None)
    off = np.hypot(flow[..., 0], flow[..., 1])
    inner = (slice(32, -32), slice(32, -32))
    green = [
        cv2.resize(p[inner][..., 1], None, fx=1 / 32, fy=1 / 32, interpolation=cv2.INTER_AREA)
        for p in (made, truth)
    ]
    held = green[1] > 0.01
    ratio = np.log2(np.maximum(green[0], 1e-6) / np.maximum(green[1], 1e-6)) - np.median(
        np.log2(green[0][held] / green[1][held])
    )
    beside = [np.abs(np.diff(ratio, axis=k))[np.take(held, range(1, held.shape[k]), k) & np.take(held, range(held.shape[k] - 1), k)] for k in (0, 1)]  # fmt: skip
    frames = len(paths)
    return [
        (f"{case}, {frames} frames of {_CASES[case][3][0] * _CASES[case][3][1] / 1e6:.1f} MP: result", f"{made.shape[1]} × {made.shape[0]}"),
        ("places against the plane, px, median / 95 % (≤ 0.5)", f"{np.median(off):.2f} / {np.quantile(off, 0.95):.2f}"),
        ("brightness of blocks of 32 px, EV, 95 % (≤ 0.03)", f"{np.quantile(np.abs(ratio[held]), 0.95):.3f}"),
        ("difference between neighbouring blocks, EV, median / 95 % (≤ 0.01)", f"{np.median(np.concatenate(beside)):.4f} / {np.quantile(np.concatenate(beside), 0.95):.4f}"),
        ("time (≤ 10 min for 3x3), peak memory (≤ 6 GB)", f"{seconds:.0f} s, {memory:.1f} GB"),
    ]  # fmt: skip


def stitch(folder: Path, paths: list[Path]) -> None:
    stitching.ResultCache = lambda: ResultCache(folder / "kept")  # type: ignore[misc]
    loaded = MergeSource(paths, MergeOptions(PANORAMA, projection="rectilinear")).load()
    assert loaded.picture is not None
    print(*loaded.notes, flush=True)
    np.save(folder / "made.npy", loaded.picture)


def main() -> None:
    if "--stitch" in sys.argv:
        folder, *paths = (Path(one) for one in sys.argv[sys.argv.index("--stitch") + 1 :])
        stitch(folder, paths)
        return
    cases = [a for a in sys.argv[1:] if a in _CASES] or list(_CASES)
    lines = [
        "# Panoramas of brackets", "",
        "Made by `python benchmarks/panorama.py`: a plane of twelve stops seen by a turned camera whose lens takes half a stop from the",
        "corners, ISO 100; wanted values in brackets.", "", "| what | found |", "|---|---|",
    ]  # fmt: skip
    for case in cases:
        for what, found in measure(case):
            print(f"{what}: {found}", flush=True)
            lines.append(f"| {what} | {found} |")
    if "--dry" not in sys.argv:
        (Path(__file__).parent.parent / "docs" / "panorama.md").write_text("\n".join(lines) + "\n", "utf-8")


if __name__ == "__main__":
    main()
