"""Throughput of single steps as ratios to libraries, without reading and writing. A part of speed.py."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import rawpy

from irvane.core.line.bands import Output, finished_bands
from irvane.core.line.context import make_context
from irvane.core.line.develop import Developed, develop
from irvane.core.line.regional import denoise_region
from irvane.core.line.source import FileSource
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.places import OutputRegion
from irvane.core.sensor.demosaic import demosaic
from irvane.core.sensor.refine import refine
from irvane.core.settings import Settings
from irvane.core.simulate.demo import make_frame
from irvane.core.threads import CORES

Rows = list[tuple[str, str]]


def libraw_seconds(path: Path, method: str) -> tuple[float, float]:
    """Times of LibRaw's ``postprocess`` on an opened file (it unpacks first) and of the processing alone; best of two."""
    whole = alone = float("inf")
    for _ in range(2):
        for unpacked in (False, True):
            with rawpy.imread(str(path)) as raw:
                if unpacked:
                    raw.raw_image  # noqa: B018 (unpacks before the clock starts)
                start = time.perf_counter()
                raw.postprocess(
                    demosaic_algorithm=rawpy.DemosaicAlgorithm[method], output_bps=16, use_camera_wb=True
                )
                took = time.perf_counter() - start
            if unpacked:
                alone = min(alone, took)
            else:
                whole = min(whole, took)
    return whole, alone


def seconds(work: Callable[[], object]) -> float:
    """Seconds of the faster of two runs."""
    times = []
    for _ in range(2):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def throughput(developed: Developed) -> Rows:
    """Light, colour and rendering of the whole frame beside OpenCV's Gaussian blur of it."""
    context = make_context(developed)
    settings = Settings().with_value("noise.amount", 0)
    for path, value in (
        ("light.exposure", 0.5),
        ("light.shadows", 1.0),
        ("light.contrast", 10),
        ("colour.saturation", 120),
    ):
        settings = settings.with_value(path, value)
    whole = developed.plain.read_all()
    cv2.setNumThreads(CORES)
    blur = seconds(lambda: cv2.GaussianBlur(whole, (0, 0), 20))
    cv2.setNumThreads(1)
    took = seconds(lambda: [None for _ in finished_bands(developed, settings, context, Output(), 16)])
    name = "white balance, light, colour, rendering and encoding / OpenCV Gaussian blur (σ 20 px)"
    return [(name, f"{took / blur:.2f} ({took:.1f} s / {blur:.1f} s)")]


def denoising(developed: Developed, array: str) -> Rows:
    """Denoising and demosaicing of a megapixel beside OpenCV's non-local means."""
    h, w = developed.extent
    region = OutputRegion(h // 4, w // 4, h // 4 + 1000, w // 4 + 1000)

    def region_of(kind: str) -> Callable[[], object]:
        return lambda: denoise_region(developed, Settings().sensor, Removal(1.0, kind), region)

    eight = np.random.default_rng(0).integers(0, 255, (1000, 1000, 3)).astype(np.uint8)
    cv2.setNumThreads(CORES)  # Irvane keeps OpenCV to one thread
    nlm = seconds(lambda: cv2.fastNlMeansDenoisingColored(eight, None, 10, 10, 7, 21))
    cv2.setNumThreads(1)
    rows = []
    for kind in ("best", "fast"):
        took = seconds(region_of(kind))
        name = f"denoise and demosaic 1 MP{array}, {kind} / OpenCV colour NLM of 1 MP"
        rows.append((name, f"{took / nlm:.2f} ({took * 1000:.0f} ms)"))
    return rows


def kernels(path: Path) -> Rows:
    """Demosaicing and denoising beside LibRaw and OpenCV, without reading and writing."""
    ahd, dht = (libraw_seconds(path, method)[1] for method in ("AHD", "DHT"))
    loaded = FileSource(path).load()
    developed = develop(loaded, Settings().sensor)
    gains = np.array([2.0, 1.0, 1.5])
    bayer = seconds(lambda: demosaic(loaded.mosaic, gains, 0.001))
    return [
        *denoising(developed, ""),
        *throughput(developed),
        ("demosaic Bayer / LibRaw AHD `postprocess`, unpacked before", f"{bayer / ahd:.2f} ({bayer:.1f} s)"),
        ("demosaic Bayer / LibRaw DHT `postprocess`, unpacked before", f"{bayer / dht:.2f} ({bayer:.1f} s)"),
    ]


def six_by_six(folder: Path, megapixels: float) -> Rows:
    """Demosaicing of the 6×6 array beside LibRaw's, and its denoising."""
    gains, six = np.array([2.0, 1.0, 1.5]), folder / "six.dng"
    make_frame(six, megapixels, six=True, iso=100)
    loaded = FileSource(six).load()
    own, mosaic = libraw_seconds(six, "AHD")[1], loaded.mosaic
    fast = seconds(lambda: demosaic(mosaic, gains, 0.001))
    best = seconds(lambda: refine(demosaic(mosaic, gains, 0.001), mosaic.cfa, gains, 0.001))
    rows = [
        (f"demosaic 6×6, {name} / LibRaw `postprocess`, unpacked before", f"{took / own:.2f} ({took:.1f} s)")
        for name, took in (("directional", fast), ("refined", best))
    ]
    return rows + denoising(develop(loaded, Settings().sensor), ", 6×6")
