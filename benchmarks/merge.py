"""Merging: how near the light, how well laid, what of movers is left, how fast. Writes docs/merge.md.

Run with ``python benchmarks/merge.py`` on an idle machine. Brackets are photographed from known light by the simulated sensor.
"""

from __future__ import annotations

import sys
import time
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np

from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER, Mosaic, NoiseModel
from irvane.core.line.source import MOSAIC, Loaded
from irvane.core.merge.fusion import fuse
from irvane.core.merge.hdr import find_movement, merge
from irvane.core.merge.mean import mean
from irvane.core.merge.mosaics import merge_mosaics
from irvane.core.merge.register import register
from irvane.core.merge.registration import Member, plan
from irvane.core.sensor.demosaic import bin_colour
from photographs import TEST, load

_WHEN = datetime(2026, 3, 4, 10, 20)
_NOISE = NoiseModel((1 / 12_500,) * 3, (3 / 12_500,) * 3, "file")
_LUMA = np.array([0.2627, 0.678, 0.0593], np.float32)
Row = tuple[str, str]


def expose(light: np.ndarray, by: float, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    signal = np.maximum(light * np.float32(by), 0)
    seen = rng.poisson(signal / _NOISE.gain[1]) * _NOISE.gain[1] + rng.normal(0, _NOISE.read[1], signal.shape)
    return np.minimum(seen, 1).astype(np.float32)


def member(light: np.ndarray, ev: float, seed: int) -> Member:
    info = FrameInfo(shutter=2.0**ev / 50, iso=400, aperture=4, taken=_WHEN + timedelta(seconds=seed))
    return Member(expose(light, 2.0**ev, seed), _NOISE, info)


def scenes() -> list[np.ndarray]:
    """Photographs stretched to twelve stops from one side to the other."""
    made = []
    for path in TEST[:6]:
        picture = load(path)
        x = np.linspace(-6, 3.5, picture.shape[1], dtype=np.float32)
        made.append(np.maximum(picture * np.exp2(x)[None, :, None], 2e-5).astype(np.float32))
    return made


def tilted(
    shape: tuple[int, int], tilt: tuple[float, float], turn: float, shift: tuple[float, float]
) -> np.ndarray:
    h, w = shape
    k = np.array([[w, 0, w / 2], [0, w, h / 2], [0, 0, 1.0]])
    r = cv2.Rodrigues(np.radians([tilt[0], 0, 0]))[0] @ cv2.Rodrigues(np.radians([0, tilt[1], 0]))[0]
    r = r @ cv2.Rodrigues(np.radians([0, 0, turn]))[0]
    m = np.array([[1, 0, shift[0] * w], [0, 1, shift[1] * w], [0, 0, 1]]) @ k @ r @ np.linalg.inv(k)
    return m / m[2, 2]


def radiance() -> list[Row]:
    blocks, edges, medians, excess = [], [], [], []
    for n, light in enumerate(scenes()):
        members = [member(light, ev, 10 * n + k) for k, ev in enumerate((-4, -2, 0, 2, 4))]
        how = plan(members)
        merged = merge(members, how).picture
        small = [
            cv2.resize(p, None, fx=1 / 32, fy=1 / 32, interpolation=cv2.INTER_AREA) for p in (merged, light)
        ]
        held = (small[1] > 2e-4) & (small[1] < 14)
        blocks.append(np.abs(np.log2(np.maximum(small[0], 1e-9) / small[1]))[held])
        # what the weights could reach at best: variances of all frames of which no colour clips, added inversely
        best = np.zeros(light.shape, np.float32)
        for ev in (-4, -2, 0, 2, 4):
            signal = light * 2.0**ev
            variance = (_NOISE.gain[1] * signal + _NOISE.read[1] ** 2) * 4.0**-ev
            best += np.where(signal.max(axis=2, keepdims=True) < 0.85, 1 / variance, 0)
        flat = (light > 0.001) & (light < 8)
        excess.append(float(np.sqrt(np.median((merged - light)[flat] ** 2 * best[flat]) / 0.4549)))
        hand = []
        for k, ev in enumerate((-2, 0, 2)):
            m = tilted(
                light.shape[:2],
                ((0.1, -0.06), (0, 0), (-0.08, 0.12))[k],
                (0.3, 0, -0.2)[k],
                ((0.004, -0.002), (0, 0), (-0.006, 0.003))[k],
            )
            moved = cv2.warpPerspective(
                light, m, light.shape[1::-1], flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT_101
            )
            hand.append(member(np.maximum(moved, 1e-5), ev, 99 + k))
        merged = merge(hand, plan(hand)).picture
        inner = (slice(24, -24), slice(24, -24))
        off = np.abs(np.log2(np.maximum(merged[inner], 1e-9) / light[inner]))
        held = (light[inner] > 0.004) & (light[inner] < 3)
        medians.append(float(np.median(off[held])))
        slope = np.abs(cv2.Laplacian(np.log2(light @ _LUMA), cv2.CV_32F))[inner]
        edge = (slope > np.quantile(slope, 0.9))[..., None] & held
        edges.append(float(np.quantile(off[edge], 0.75)))
    every = np.concatenate(blocks)
    return [
        (
            "tripod, 5 frames, 2 EV: means of 32 × 32 pixels off by, EV, median / 95 % (≤ 0.03)",
            f"{np.median(every):.4f} / {np.quantile(every, 0.95):.4f}",
        ),
        ("noise over the optimum of the weights (≤ 1.10)", f"{np.mean(excess):.2f}"),
        ("by hand, 3 frames: median error, stops, worst of 6 scenes (≤ 0.05)", f"{max(medians):.3f}"),
        ("by hand: edges off by at most, stops, 75 %, worst (≤ 0.2)", f"{max(edges):.3f}"),
    ]


def laid() -> list[Row]:
    off: dict[str, list[float]] = {"2 EV": [], "4 EV": []}
    for n, light in enumerate(scenes()):
        flat = cv2.resize(
            light / np.exp2(np.linspace(-6, 3.5, light.shape[1], dtype=np.float32))[None, :, None],
            None,
            fx=2,
            fy=2,
            interpolation=cv2.INTER_CUBIC,
        )
        flat = np.maximum(cv2.GaussianBlur(flat, (0, 0), 0.7), 1e-4) * 0.9
        for k, (tilt, turn, shift) in enumerate(
            (
                ((0.5, -0.3), 0.0, (0.005, 0.0)),
                ((0.2, 0.5), 2.0, (0.02, -0.012)),
                ((-0.3, 0.1), -1.0, (-0.015, 0.02)),
            )
        ):
            true = tilted(flat.shape[:2], tilt, turn, shift)
            moved = cv2.warpPerspective(
                flat, true, flat.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101
            )
            for step in (2, 4):
                first = expose(flat, 1, 7 * n + k) @ _LUMA
                second = expose(moved, 2.0 ** (-step), 7 * n + k + 50) @ _LUMA
                found = register(first, second, 2.0**step, (_NOISE.read[1],) * 2)
                h, w = first.shape
                y, x = np.mgrid[20 : h - 20 : 40, 20 : w - 20 : 40]
                places = np.stack([x.ravel(), y.ravel()], 1).astype(float)
                e = np.linalg.norm(
                    found.places(places) - cv2.perspectiveTransform(places[None], true)[0], axis=1
                )
                off[f"{step} EV"].append(float(np.quantile(e, 0.95)))
    return [
        (
            f"tilt to 0.5°, turn to 2°, shift to 2 %: off, px, 95 % of places, median / worst of 18, step {step} (≤ 0.3)",
            f"{np.median(v):.3f} / {max(v):.3f}",
        )
        for step, v in off.items()
    ]


def movers() -> list[Row]:
    left, whole, static = [], [], []
    for n, path in enumerate(TEST[:6]):
        ground = load(path) * 0.8 + 0.01
        h, w = ground.shape[:2]
        other = load(TEST[(n + 3) % len(TEST)])[: h // 3, : w // 8] * 0.35 + 0.01
        ph, pw = other.shape[:2]
        top, places = h // 3, (w // 8, w // 2 - pw // 2, 7 * w // 8 - pw)
        members = []
        for k, (ev, x) in enumerate(zip((-2, 0, 2), places, strict=True)):
            light = ground.copy()
            light[top : top + ph, x : x + pw] = other
            members.append(member(light, ev, k))
        truth = ground.copy()
        truth[top : top + ph, places[1] : places[1] + pw] = other
        how = plan(members)
        made = merge(members, how)
        a, b = (cv2.blur(p @ _LUMA, (9, 9)) for p in (made.picture, truth))
        off = np.abs(a / np.maximum(b, 1e-4) - 1)
        path_ = np.zeros((h, w), bool)
        for x in (places[0], places[2]):
            path_[top + 6 : top + ph - 6, x + 6 : x + pw - 6] = True
        left.append(float(np.quantile(off[path_ & (b > 0.01)], 0.95)))
        whole.append(
            float(np.quantile(off[top + 6 : top + ph - 6, places[1] + 6 : places[1] + pw - 6], 0.95))
        )
        near = np.zeros((h, w), np.uint8)
        for x in places:
            near[top : top + ph, x : x + pw] = 1
        still = ~cv2.dilate(near, np.ones((33, 33), np.uint8)).astype(bool)
        static.append(float(made.replaced[still].mean()))
    return [
        (
            "textured figure on photographs: error in its path, 95 %, median / worst of 6 (≤ 5 %)",
            f"{np.median(left):.1%} / {max(left):.1%}",
        ),
        ("the figure itself, where the reference has it: error, 95 %, worst", f"{max(whole):.1%}"),
        (
            "of what stands still, merged: mean / least (≥ 98 %)",
            f"{1 - np.mean(static):.1%} / {1 - max(static):.1%}",
        ),
    ]


def bursts() -> list[Row]:
    light = load(TEST[0]) * 0.5 + 0.01
    members = [member(light, 0, k) for k in range(8)]
    made = mean(members, plan(members, same_exposure=True))
    one, eight = (float(np.std(m - light)) for m in (members[0].picture, made.picture))
    return [("burst of 8: noise of one frame / of the mean (√8 = 2.83)", f"{one / eight:.2f}")]


def mosaic_of(picture: np.ndarray) -> np.ndarray:
    """A picture through a Bayer array."""
    out = picture[..., 1].copy()
    out[0::2, 0::2], out[1::2, 1::2] = picture[0::2, 0::2, 0], picture[1::2, 1::2, 2]
    return np.ascontiguousarray(out)


def still_ones(frames: list[Loaded]) -> None:
    """Frames that stand still, laid and merged as mosaics: neither repaired nor interpolated, as OpenCV's are not decoded."""
    seen = [Member(bin_colour(f.mosaic), _NOISE, f.info, 2) for f in frames if f.mosaic is not None]
    how = plan(seen)
    merge_mosaics(
        [f.mosaic.data for f in frames if f.mosaic is not None], BAYER, seen, how, find_movement(seen, how)
    )


def speed() -> list[Row]:
    base = cv2.resize(load(TEST[0]), (6000, 4000), interpolation=cv2.INTER_CUBIC) * 1.5 + 0.003
    base = np.maximum(base, 1e-4).astype(np.float32)
    members = [
        Member(np.minimum(base * 2.0**ev, 1), _NOISE, FrameInfo(shutter=2.0**ev / 50, iso=400, aperture=4))
        for ev in (-2, 0, 2)
    ]
    eight = [np.rint(np.clip(m.picture, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8) for m in members]
    merge(members, plan(members))  # compiled
    begun = time.perf_counter()
    how = plan(members)
    merge(members, how, found=find_movement(members, how))
    ours = time.perf_counter() - begun
    mosaics = [mosaic_of(m.picture) for m in members]
    noisy = [
        Loaded(MOSAIC, Mosaic(data, BAYER), None, None, _NOISE, 0, m.info, ())
        for data, m in zip(mosaics, members, strict=True)
    ]
    still_ones(noisy)  # compiled
    begun = time.perf_counter()
    still_ones(noisy)
    as_mosaics = time.perf_counter() - begun
    del mosaics, noisy
    cv2.setNumThreads(0)
    begun = time.perf_counter()
    aligned = [e.copy() for e in eight]
    cv2.createAlignMTB().process(eight, aligned)
    after = time.perf_counter()
    hdr = cv2.createMergeDebevec().process(aligned, np.array([0.005, 0.02, 0.08], np.float32))
    cv2.createTonemapDrago().process(hdr)
    theirs = time.perf_counter() - begun
    begun_fusion = time.perf_counter()
    cv2.createMergeMertens().process(aligned)
    their_fusion = time.perf_counter() - begun_fusion + after - begun
    cv2.setNumThreads(1)
    shown = [e.astype(np.float32) / 255 for e in eight]
    begun = time.perf_counter()
    fuse(shown)
    our_fusion = time.perf_counter() - begun
    return [
        (
            "3 × 24 MP that stand still, as mosaics: laid, movers found and merged / the same of OpenCV (≤ 1.0)",
            f"{as_mosaics / theirs:.2f} ({as_mosaics:.1f} / {theirs:.1f} s)",
        ),
        (
            "3 × 24 MP in full colour (handheld): laid, movers found and merged / OpenCV's AlignMTB, MergeDebevec, Drago on 8 bits (≤ 1.0)",
            f"{ours / theirs:.2f} ({ours:.1f} / {theirs:.1f} s)",
        ),
        (
            "3 × 24 MP fused (without laying) / AlignMTB and MergeMertens",
            f"{our_fusion / their_fusion:.2f} ({our_fusion:.1f} / {their_fusion:.1f} s)",
        ),
    ]


def main() -> None:
    parts = (
        ("Light", radiance),
        ("Laid on each other", laid),
        ("What moves", movers),
        ("Bursts", bursts),
        ("Speed", speed),
    )
    lines = [
        "# Merging: how near, how fast", "",
        "Made by `python benchmarks/merge.py`: photographs that nothing was tuned on, stretched to twelve stops, photographed by a",
        "simulated sensor (12,500 electrons at white, 3 electrons read noise); wanted values in brackets.",
    ]  # fmt: skip
    for title, work in parts:
        lines += ["", f"## {title}", "", "| what | found |", "|---|---|"]
        for what, found in work():
            print(f"{what}: {found}", flush=True)
            lines.append(f"| {what} | {found} |")
    if "--dry" not in sys.argv:
        (Path(__file__).parent.parent / "docs" / "merge.md").write_text("\n".join(lines) + "\n", "utf-8")


if __name__ == "__main__":
    main()
