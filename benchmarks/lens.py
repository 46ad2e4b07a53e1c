"""The station Lens: how straight, how sharp, how fast. Writes docs/lens.md.

Run with ``python benchmarks/lens.py`` on an idle machine. The charts are drawn through the simulated lens of the tests, which
computes published formulas itself; the library that corrects has never seen it.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "core"))

import cv2
import lensfunpy
import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.judge.edge import edge_figures
from irvane.core.lens import bodies
from irvane.core.lens.aberration import measure_aberration
from irvane.core.lens.corrections import LensFacts, corrections_of
from irvane.core.lens.framing import bending_only, geometry_of
from irvane.core.lens.fringing import fringe_hue, hue_of, remove_fringes
from irvane.core.lens.optics import Optics
from irvane.core.lens.resample import resample
from irvane.core.lens.vignetting import correct_vignetting
from irvane.core.pixels.picture import Picture
from irvane.core.pixels.places import OutputRegion
from irvane.core.simulate.demo import make_frame
from irvane.core.stations import Lens
from irvane.core.threads import CORES
from lenses import TestLens, centres, chart, dots
from photographs import TEST, load
from steps import seconds

ROOT = Path(__file__).parent.parent
EXTENT = (4000, 6000)
LENS = TestLens(a=0.021, b=-0.058, c=0.013, red=0.0007, blue=-0.0009, falloff=(-0.47, 0.11, -0.03))
_TILE = 768


def _facts() -> LensFacts:
    made = lensfunpy.Database(xml=LENS.xml("Reference", "Test 35"))
    bodies.database = lambda: made
    return LensFacts(EXTENT, 0, True, Optics("Irvane", "Reference", "Test 35", 35.0, None, 4.0, 10.0))


def corrected(picture: np.ndarray, facts: LensFacts, lens: Lens) -> np.ndarray:
    """The whole correction of a camera-linear picture, in parts as the line does it."""
    geometry, found = geometry_of(facts, lens), corrections_of(facts, bending_only(lens))
    h, w = geometry.output
    out = np.empty((h, w, 3), np.float32)
    for top in range(0, h, _TILE):
        for left in range(0, w, _TILE):
            part = OutputRegion(top, left, min(top + _TILE, h), min(left + _TILE, w))
            box = geometry.frame_box(part)
            light = np.ascontiguousarray(picture[box.top : box.bottom, box.left : box.right])
            light = correct_vignetting(
                light, 0.0, (box.top, box.left), 1.0, EXTENT, found.gains, found.centre
            )
            shape = part.bottom - top, part.right - left
            out[top : part.bottom, left : part.right] = resample(
                light, (box.top, box.left), (1.0, 1.0), geometry.bending, (top, left), 1.0, shape
            )
    return out


def straightness(facts: LensFacts) -> list[tuple[str, str]]:
    places = dots(EXTENT, 24)
    picture = chart(EXTENT, places, LENS, 4.0)
    lens = Lens()
    seen = corrected(picture, facts, lens)
    h, w = seen.shape[:2]
    near = places + ((w - EXTENT[1]) / 2, (h - EXTENT[0]) / 2)
    at = [centres(seen[..., c], near, 18) for c in range(3)]
    off = np.hypot(*(at[1] - near).T)
    before = np.hypot(*(LENS.seen(places, EXTENT, 1) - places).T)
    colour = [np.hypot(*(at[c] - at[1]).T) for c in (0, 2)]
    grey = cv2.dilate(seen[..., 1], np.ones((41, 41)))[40:-40, 40:-40]
    bend = geometry_of(facts, lens)
    grid = np.column_stack([v.ravel() for v in np.meshgrid(np.linspace(0, w, 60), np.linspace(0, h, 40))])
    back = bend.to_output(bend.to_frame(grid))
    return [
        ("places off before, px, 95 %", f"{np.percentile(before, 95):.1f}"),
        ("places off after the profile, px, 95 % (≤ 0.3)", f"{np.nanpercentile(off, 95):.3f}"),
        (
            "red and blue off green after the profile, px, 95 % (≤ 0.1)",
            f"{np.nanpercentile(np.concatenate(colour), 95):.3f}",
        ),
        (
            "light over the frame after the profile, spread (≤ 2 %)",
            f"{np.ptp(grey) / grey.mean() * 100:.2f} %",
        ),
        ("there and back again, px at most (≤ 0.01)", f"{np.nanmax(np.abs(back - grid)):.4f}"),
        ("field of view kept", f"{bend.kept * 100:.1f} %"),
    ]


def _aberrated(light: np.ndarray, red: float, blue: float, cfa: np.ndarray, seed: int) -> Mosaic:
    h, w = light.shape[:2]
    half = np.hypot(h, w) / 2
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    dx, dy = x + 0.5 - w / 2, y + 0.5 - h / 2
    planes = []
    for c, shift in enumerate((red, 0.0, blue)):
        s = 1 / (1 + shift / half)
        maps = (dx * s + w / 2 - 0.5).astype(np.float32), (dy * s + h / 2 - 0.5).astype(np.float32)
        planes.append(cv2.remap(light[..., c], *maps, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT))
    camera = np.stack(planes, axis=2)
    colours = Mosaic(np.zeros((h, w), np.float32), cfa).colours()
    data = np.take_along_axis(camera, colours[..., None].astype(np.int64), axis=2)[..., 0]
    noise = np.random.default_rng(seed).normal(size=data.shape) * np.sqrt(
        np.maximum(data, 0) / 12500 + 1e-7
    )  # ISO 400
    return Mosaic((data + noise).astype(np.float32), cfa)


def measured() -> list[tuple[str, str]]:
    """Photographs in one tone (their colours have the same contours) with no aberration, and with some."""
    still, off, certain, count = [], [], 0, 0
    for k, light in enumerate(load(name, 2400) for name in TEST):
        grey = light.mean(axis=2)
        toned = np.clip(grey[..., None] * np.array([0.9, 0.8, 0.5], np.float32), 0, 0.95).astype(np.float32)
        for cfa in (BAYER, SIX_BY_SIX):
            none = measure_aberration(_aberrated(toned, 0.0, 0.0, cfa, k))
            some = measure_aberration(_aberrated(toned, 1.1, -1.5, cfa, k))
            if none is not None:
                still += [abs(v) for v in none.corner]
                certain += none.sure
                count += 1
            if some is not None:
                off += [abs(some.corner[0] - 1.1), abs(some.corner[1] + 1.5)]
    return [
        (
            "lens without aberration: found in the corner, px, median / 95 % (< 0.05)",
            f"{np.median(still):.3f} / {np.percentile(still, 95):.3f}",
        ),
        ("of these taken for certain", f"{certain} of {count}"),
        (
            "lens with 1.1 and −1.5 px: off by, px, median / 95 % (≤ 0.2)",
            f"{np.median(off):.3f} / {np.percentile(off, 95):.3f}",
        ),
    ]


def sharpness() -> list[tuple[str, str]]:
    sigma = float(np.sqrt(np.log(2) / (2 * np.pi**2 * 0.25**2)))
    y, x = np.mgrid[0:160, 0:160] + 0.5

    def edge(low: float, high: float, s: float) -> np.ndarray:
        across = (x - 80 + 0.09 * (y - 80)) / np.hypot(1, 0.09)
        step = 0.5 * (1 + np.vectorize(__import__("math").erf)(across / (s * 2**0.5)))
        return np.repeat((low + (high - low) * step)[..., None], 3, axis=2).astype(np.float32)

    facts = LensFacts((160, 160), 0, True, Optics())
    still = geometry_of(facts, Lens(profile="off", aberration="off"))
    half = replace(still, matrix=still.matrix @ np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]]))
    picture = edge(0.2, 0.8, sigma)
    moved = resample(picture, (0, 0), (1.0, 1.0), half.bending, (0, 0), 1.0, (156, 156))
    by_cubic = cv2.warpAffine(
        picture,
        np.array([[1, 0, 0.5], [0, 1, 0.5]]),
        (156, 156),
        flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
    )
    base = edge_figures(picture[6:-6, 6:-6, 1]).mtf50
    ringing = {}
    turned = geometry_of(facts, Lens(profile="off", aberration="off", straighten=2.3, distortion=1.0))
    for s in (0.3, 0.5, 0.8):
        sharp = edge(1 / 64, 1.0, s)
        seen = resample(sharp, (0, 0), (1.0, 1.0), turned.bending, (0, 0), 1.0, turned.output)[4:-4, 4:-4]
        ringing[s] = max(float(seen.max()) - 1, 1 / 64 - float(seen.min())) / (63 / 64)
    worst = max(ringing.values())
    return [
        (
            "MTF50 after half a pixel / before (≥ 0.93)",
            f"{edge_figures(moved[6:-6, 6:-6, 1]).mtf50 / base:.3f}",
        ),
        ("the same by OpenCV's cubic", f"{edge_figures(by_cubic[6:-6, 6:-6, 1]).mtf50 / base:.3f}"),
        ("beyond a six-stop edge, share of its height (≤ 3 %)", f"{worst * 100:.2f} %"),
    ]


def fringes() -> list[tuple[str, str]]:
    """Photographs whose brightest parts are clipped, with violet rims added beside them; and the same without any."""
    violet = np.array([0.10, 0.0, 0.22], np.float32)
    hue = float(hue_of(violet[None])[0])
    less, elsewhere, harm, hues = [], [], [], []
    for light in (load(name, 1600) for name in TEST):
        bright = np.minimum(light * (1.0 / max(float(np.percentile(light, 97)), 1e-6)), 4.0)
        sky = (bright.max(axis=2) >= 1).astype(np.float32)
        plain = np.minimum(bright, 1).astype(np.float32)
        glow = cv2.GaussianBlur(sky, (0, 0), 2.0) * (1 - sky)
        dark = plain.max(axis=2) < 0.35
        fringed = np.minimum(plain + (glow * dark)[..., None] * violet, 1)
        beside = (glow > 0.08) & dark
        if not 0.002 < sky.mean() < 0.4 or beside.sum() < 500:
            continue
        found = fringe_hue(Picture(fringed, exact=True), sky.astype(np.uint8), np.ones(3))
        hues.append(abs((found - hue + 180) % 360 - 180))
        calm, still = (remove_fringes(p, np.ones(3), 1.0, found, 1.0) for p in (fringed, plain))

        def added(picture: np.ndarray, base: np.ndarray = plain, where: np.ndarray = beside) -> float:
            # what a fringe adds lies along its colour; the rest is the photograph's own
            along = violet - violet.mean()
            along = along / np.linalg.norm(along)
            more = (picture - picture.mean(axis=2, keepdims=True)) - (base - base.mean(axis=2, keepdims=True))
            return float(np.square(np.maximum(more @ along, 0))[where].sum())

        less.append(1 - added(calm) / added(fringed))
        lab = [rgb2lab(np.clip(p, 0, 1) ** (1 / 2.2)) for p in (fringed, calm, plain, still)]
        harm.append(float(np.mean(deltaE_ciede2000(lab[2], lab[3]))))
        far = cv2.dilate((plain.max(axis=2) > 0.45).astype(np.uint8), np.ones((21, 21))) == 0
        if far.any():
            elsewhere.append(float(np.percentile(deltaE_ciede2000(lab[0], lab[1])[far], 99)))
    return [
        (f"colour energy of added fringes gone, mean / least of {len(less)} photographs (≥ 80 %)",
         f"{np.mean(less) * 100:.0f} % / {min(less) * 100:.0f} %"),
        ("hue found by itself, off by at most", f"{max(hues):.0f}°"),
        ("ΔE2000 elsewhere, 99 %, worst photograph (≤ 0.3)", f"{max(elsewhere, default=0):.2f}"),
        ("the same photographs without fringes: mean ΔE2000 of what is changed, worst", f"{max(harm):.2f}"),
    ]  # fmt: skip


def speed(facts: LensFacts) -> list[tuple[str, str]]:
    picture = np.random.default_rng(0).random((*EXTENT, 3), dtype=np.float32)
    lens = Lens(crop=(2.0, 2.0, 96.0, 96.0))
    corrected(picture, facts, lens)
    ours = seconds(lambda: corrected(picture, facts, lens))
    h, w = EXTENT
    entry = next(one for one in bodies.database().lenses if one.model == "Test 35")
    maps: list[np.ndarray] = []

    def library_maps() -> None:
        made = lensfunpy.Modifier(entry, 1.0, w, h)
        made.initialize(35.0, 4.0, distance=10.0, scale=1.0, pixel_format=np.float32)
        maps[:] = [made.apply_subpixel_geometry_distortion()]
        made.apply_color_modification(picture)

    making = seconds(library_maps)
    cv2.setNumThreads(CORES)
    planes = [np.ascontiguousarray(picture[..., c]) for c in range(3)]
    places = [np.ascontiguousarray(maps[0][..., c, :]) for c in range(3)]
    remap = seconds(
        lambda: [cv2.remap(p, m, None, cv2.INTER_CUBIC) for p, m in zip(planes, places, strict=True)]
    )
    cv2.setNumThreads(1)
    mosaic = _aberrated(picture, 0.0, 0.0, BAYER, 0)
    measure_aberration(mosaic)
    return [
        ("24 MP: distortion, aberration, vignetting and crop / OpenCV cubic remap of three planes and lensfun's maps (≤ 1.0)",
         f"{ours / (remap + making):.2f} ({ours:.2f} s / {remap:.2f} + {making:.2f} s)"),
        ("24 MP: measuring the aberration, s", f"{seconds(lambda: measure_aberration(mosaic)):.2f}"),
    ]  # fmt: skip


def in_the_window() -> list[tuple[str, str]]:
    from speed import Bench, median_and_95

    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "frame.dng"
        make_frame(path, 24, iso=200)
        bench = Bench()
        bench.window.opening.open([path])
        bench.settled()
        bench.window.session.edit(0, 0, {"noise.amount": 0, "lens.straighten": 2.0, "lens.distortion": 3.0})
        bench.settled()
        rows = []
        bench.gaps.clear()
        values = [2.0 + 0.1 * k for k in range(1, 31)]
        rows.append(
            (
                "straighten, fit, one of two panes: repaint ms, median / 95 % (≤ 40)",
                median_and_95(bench.repaints("lens.straighten", values, 1)),
            )
        )
        bench.window.bench.set_zoom(1.0)
        bench.settled()
        pans = bench.pans()
        rows.append(("pan at 100 %, both panes bent: repaint ms, median / 95 % (≤ 50)", median_and_95(pans)))
        bench.window.bench.set_zoom(None)
        bench.settled()
        bench.window.framing.toggle()
        bench.settled()
        overlay = bench.window.framing.overlay
        assert overlay is not None
        times = []
        for k in range(40):
            start = time.perf_counter()
            overlay._begun = overlay.crop
            overlay._move("br", -0.005 if k % 2 else 0.004, -0.004)
            bench.app.processEvents()
            overlay.repaint()
            bench.window.bench.views[0].repaint()
            times.append((time.perf_counter() - start) * 1000)
        rows.append(("handles of the crop: repaint ms, median / 95 % (≤ 40)", median_and_95(times)))
        rows.append(
            ("longest delay of the window's thread meanwhile, ms", f"{max(bench.gaps) * 1000 - 5:.0f}")
        )
        bench.window.close()
        return rows


def main() -> None:
    facts = _facts()
    parts = [
        ("A chart of dots, 24 MP, through a simulated lens", lambda: straightness(facts)),
        ("The one resampling", sharpness),
        ("Aberration measured in photographs", measured),
        ("Fringes", fringes),
        ("Speed", lambda: speed(facts)),
        ("In the window, 24 MP", in_the_window),
    ]
    text = [
        "# The lens station, measured", "",
        "Written by `benchmarks/lens.py`. The simulated lens computes published formulas itself, with coefficients that are in no",
        "database. In brackets what is to be reached. Interpolation by directions draws colours that lie apart together before",
        "they are set right: of an aberration of a pixel, details about two pixels wide keep up to 0.2 px (linear",
        "interpolation: none).", "",
    ]  # fmt: skip
    for title, work in parts:
        text += [f"## {title}", "", "| what | found |", "|---|---|"]
        for what, found in work():
            text.append(f"| {what} | {found} |")
            print(f"{what}: {found}", flush=True)
        text.append("")
    (ROOT / "docs" / "lens.md").write_text("\n".join(text), "utf-8")


if __name__ == "__main__":
    main()
