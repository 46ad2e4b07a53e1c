"""Speed: throughput as ratios to libraries in the same run, latency in milliseconds. Writes docs/speed.md.

Run with ``python benchmarks/speed.py [--megapixels 24 100]`` on an idle machine; kernels are warmed first.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import tifffile
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from irvane.core.files.writers import write_tiff
from irvane.core.memory import trim_heap
from irvane.core.simulate.demo import make_frame
from irvane.desktop import theme
from irvane.desktop.idle_collection import IdleCollection
from irvane.desktop.item import BARE
from irvane.desktop.window import Window
from irvane.warm import warm
from panes import six_panes
from steps import Rows, kernels, libraw_seconds, seconds, six_by_six

ROOT = Path(__file__).parent.parent
_PARTS = ["develop", "steps", "window"]
_CHILD = """
import json, re, sys, time
from irvane.cli import main
from irvane.warm import warm
warm()
start = time.perf_counter()
code = main(sys.argv[1:])
took = time.perf_counter() - start
peak = int(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read()).group(1)) / 1024
print(json.dumps({"code": code, "seconds": took, "mb": peak}))
"""


def develop_child(*arguments: str) -> dict[str, float]:
    """``irvane develop`` in a process of its own, kernels warm: seconds and peak memory."""
    done = subprocess.run(
        [sys.executable, "-c", _CHILD, "develop", *arguments], capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout.strip().splitlines()[-1])


class Bench:
    """A window whose times are taken."""

    def __init__(self) -> None:
        sys.setswitchinterval(0.001)
        self.app = QApplication.instance() or QApplication([])
        theme.apply(self.app)
        self.window = Window()
        IdleCollection(self.window.service.idle, self.window)
        self.window.show()
        self.gaps: list[float] = []
        self._last = time.perf_counter()
        self._timer = QTimer(interval=5)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now = time.perf_counter()
        self.gaps.append(now - self._last)
        self._last = now

    def until(self, condition, seconds: float = 600) -> float:
        """Run the event loop until a condition holds; returns the seconds it took."""
        start = time.perf_counter()
        while not condition():
            self.app.processEvents()
            time.sleep(0.0005)
            if time.perf_counter() - start > seconds:
                raise TimeoutError
        return time.perf_counter() - start

    def settled(self) -> None:
        """Until nothing is computed any more."""
        quiet = [time.perf_counter()]

        def still() -> bool:
            if not self.window.service.idle():
                quiet[0] = time.perf_counter()
            return time.perf_counter() - quiet[0] > 0.6

        self.until(still)

    def repaints(self, path: str, values: list[float], panes: int) -> list[float]:
        """Milliseconds from moving a slider of pane A until every pane it changes shows the new picture.

        `panes` 1: the proof stands beside the bare frame. 2: both panes show this proof, both change.
        """
        bench, times = self.window.bench, []
        for value in values:
            shown = [id(c.current) for c in bench.contents[:panes]]
            start = time.perf_counter()
            self.window.session.edit(bench.contents[0].item, bench.contents[0].proof, {path: value})
            self.until(
                lambda old=tuple(shown): all(
                    id(c.current) != s for c, s in zip(bench.contents[:panes], old, strict=True)
                )
            )
            for view in bench.views:
                view.repaint()
            times.append((time.perf_counter() - start) * 1000)
        return times

    def dragged(self, path: str, seconds: float = 2.0) -> tuple[float, float]:
        """Pictures per second, and the longest wait for one in ms, while a slider gives a value every 8 ms."""
        content, shown, times = self.window.bench.contents[0], 0, [time.perf_counter()]
        due, value = times[0], 0.0
        while due - times[0] < seconds:
            if time.perf_counter() >= due:
                value = (value + 0.01) % 1
                self.window.session.edit(content.item, content.proof, {path: value})
                due = max(due + 0.008, time.perf_counter())
            self.app.processEvents()
            time.sleep(0.0003)
            if id(content.current) != shown:
                shown = id(content.current)
                times.append(time.perf_counter())
        return (len(times) - 2) / seconds, max(np.diff([*times, time.perf_counter()])) * 1000

    def removals(self, amounts: list[float], best_too: bool) -> tuple[list[float], list[float]]:
        """Milliseconds from another amount of denoising until pane A shows it made fast, and made by the best method."""
        content, fast, best = self.window.bench.contents[0], [], []
        item = self.window.session.items[content.item]
        for amount in amounts:
            frame = self.window.service.engine.best(item.source, item.settings(content.proof).sensor)
            for made in (frame.wholes, frame.patches, frame.reduced):
                made.clear()  # or else another amount stands in
            start = time.perf_counter()
            self.window.session.edit(content.item, content.proof, {"noise.amount": amount})
            self.until(lambda: content.state == "noisy")
            self.until(lambda: content.state in ("rough", "final"))
            fast.append((time.perf_counter() - start) * 1000)
            if best_too:
                self.until(lambda: content.state == "final")
                best.append((time.perf_counter() - start) * 1000)
        return fast, best

    def pans(self, count: int = 24) -> list[float]:
        """Milliseconds from moving the picture by a few pixels at 100 % until both panes show what came into view."""
        bench, times = self.window.bench, []
        for k in range(count):
            shown = [id(c.current) for c in bench.contents]
            view = bench.views[0]
            start = time.perf_counter()
            bench.viewport.pan(
                -40 if k % 8 < 4 else 40, 23 if k % 2 else -23, view.extent, view.device_size()
            )
            self.until(
                lambda old=tuple(shown): all(
                    id(c.current) != s for c, s in zip(bench.contents, old, strict=True)
                )
            )
            for one in bench.views:
                one.repaint()
            times.append((time.perf_counter() - start) * 1000)
        return times


#: All settings of Light and Colour.
_LIGHT_AND_COLOUR = {
    "light.shadows": 1.5, "light.highlights": -1.0, "light.midtones": 0.2, "light.contrast": 20.0, "light.black": 0.5,
    "light.white": 0.3, "light.roll_off": 1.0, "light.local_small": 20.0, "light.local_large": 20.0,
    "light.curve": "-4:-4.3, 1:1.2", "light.curve_red": "0:0.1", "colour.temperature": 5000.0, "colour.saturation": 120.0,
    "colour.pale": 20.0, "colour.reds": 20.0,
}  # fmt: skip
#: Everything that acts on a view, but denoising.
_EVERYTHING = {
    "noise.amount": 0.0, "light.exposure": 0.5, "light.shadows": 1.5, "light.highlights": -1.0, "light.contrast": 20.0,
    "colour.saturation": 120.0, "acutance.fine": 50.0, "acutance.medium": 30.0, "acutance.coarse": 20.0,
    "lens.vignetting": 0.6,
}  # fmt: skip


def peak_memory() -> float:
    """Peak resident memory of this process in megabytes."""
    found = re.search(r"VmHWM:\s+(\d+)", Path("/proc/self/status").read_text("ascii"))
    assert found is not None
    return int(found.group(1)) / 1024


def ratio(child: dict[str, float], seconds: float) -> str:
    """``1.85 (6.1 s / 3.3 s)``"""
    return f"{child['seconds'] / seconds:.2f} ({child['seconds']:.1f} s / {seconds:.1f} s)"


def median_and_95(times: list[float]) -> str:
    """``31 / 44``"""
    return f"{statistics.median(times):.0f} / {np.percentile(times, 95):.0f}"


def developing(folder: Path, path: Path) -> Rows:
    """``irvane develop`` beside LibRaw; the best of three runs each, in turns: a machine is not always as fast."""
    command = [str(path), "--out", str(folder / "off.tif"), "--overwrite"]
    ahd, ours = float("inf"), []
    for _ in range(3):
        ours.append(develop_child(*command, "--denoise", "off"))
        ahd = min(ahd, libraw_seconds(path, "AHD")[0])
    off, dht = min(ours, key=lambda run: run["seconds"]), libraw_seconds(path, "DHT")[0]
    pixels = np.zeros((*tifffile.TiffFile(folder / "off.tif").pages.first.shape[:2], 3), np.uint16)
    write = seconds(lambda: write_tiff(folder / "w.tif", pixels, space="srgb", source=path, overwrite=True))
    auto = develop_child(*command)
    h, w = pixels.shape[:2]
    return [
        ("develop without denoise, file to written TIFF / LibRaw AHD `postprocess` and the same write",
         ratio(off, ahd + write)),
        ("the same / LibRaw AHD `postprocess` alone (unpacks)", ratio(off, ahd)),
        ("the same / LibRaw DHT `postprocess` alone (unpacks)", ratio(off, dht)),
        ("peak memory of that, MB", f"{off['mb']:.0f}"),
        ("develop with denoise, seconds", f"{auto['seconds']:.0f}"),
        ("the same per megapixel", f"{auto['seconds'] / (h * w / 1e6):.2f}"),
        ("peak memory with denoise, MB", f"{auto['mb']:.0f}"),
    ]  # fmt: skip


def in_the_window(bench: Bench, paths: list[Path]) -> Rows:
    """Latencies of the window with the frames open."""
    window = bench.window
    window.opening.open(paths[:1])
    bench.until(
        lambda: len(window.session.items) == 1 and all(i.ready for i in window.session.items.values())
    )
    bench.settled()
    window.session.edit(window.bench.contents[0].item, 0, {"light.shadows": 1.0, "acutance.fine": 40.0})
    bench.settled()
    rows = [("peak memory of the window's process, one frame open and edited, MB", f"{peak_memory():.0f}")]
    window.opening.open(paths[1:])
    bench.until(
        lambda: (
            len(window.session.items) == len(paths) and all(i.ready for i in window.session.items.values())
        )
    )
    bench.settled()
    content = window.bench.contents[0]
    start = time.perf_counter()
    window.rail.choose(next(i.number for i in window.session.items.values() if i.path == paths[1]))
    bench.until(lambda: content.backdrop is not None)
    preview = time.perf_counter() - start
    bench.until(lambda: content.current is not None)
    own = time.perf_counter() - start
    bench.settled()
    rows += [
        ("click until the camera's preview is shown, ms", f"{preview * 1000:.0f}"),
        ("click until the proof's own rendering at the fitted size, ms", f"{own * 1000:.0f}"),
    ]
    values = [0.1 * k for k in range(1, 25)]
    bench.gaps.clear()
    settings = ("light.exposure", "light.shadows", "acutance.fine")
    for panes, kind in ((1, "beside the bare frame"), (2, "both panes change")):
        window.bench.show_proof(1, BARE if panes == 1 else 0)
        for zoom, words in ((None, "fit"), (1.0, "100 %")):
            window.bench.set_zoom(zoom)
            for setting in settings:
                bench.settled()
                factor = 1 if setting in ("light.exposure", "light.shadows") else 20
                times = bench.repaints(setting, [v * factor for v in values], panes)
                rows.append((f"{setting}, {words}, {kind}: repaint ms, median / 95 %", median_and_95(times)))
    window.session.edit(content.item, content.proof, _LIGHT_AND_COLOUR)
    for zoom, words in ((None, "fit"), (1.0, "100 %")):
        window.bench.set_zoom(zoom)
        bench.settled()
        times = bench.repaints("light.exposure", values, 2)
        rows.append(
            (
                f"all of Light and Colour, {words}, both panes change: repaint ms, median / 95 %",
                median_and_95(times),
            )
        )
    unused = time.time() % 1  # no such amount lies in the cache on disk
    rate, wait = bench.dragged("light.exposure")
    rows.append(
        ("light.exposure dragged, a value every 8 ms, 100 %, both panes: pictures a second, longest wait ms",
         f"{rate:.0f}, {wait:.0f}")
    )  # fmt: skip
    amounts = [120 + k + unused for k in range(8)]
    fast, best = (median_and_95(times) for times in bench.removals(amounts, True))
    window.bench.set_zoom(None)
    bench.settled()
    fitted, _ = bench.removals([a + 10 for a in amounts], False)
    rows += [
        ("noise removed anew, 100 %: ms until it is seen, fast, median / 95 %", fast),
        ("the same, by the best method", best),
        ("noise removed anew, fit: ms until it is seen, fast", median_and_95(fitted)),
    ]
    window.bench.set_zoom(1.0)
    window.session.edit(content.item, content.proof, _EVERYTHING)
    bench.settled()
    return [
        *rows,
        ("pan at 100 %, everything on but denoising, both panes: repaint ms, median / 95 %",
         median_and_95(bench.pans())),
        ("longest delay of the window's thread meanwhile, ms", f"{max(bench.gaps) * 1000 - 5:.0f}"),
        ("peak memory of the window's process, two panes of two frames, MB", f"{peak_memory():.0f}"),
    ]  # fmt: skip


def measure(megapixels: float, parts: list[str], report: Callable[[Rows], None]) -> None:
    """Report the figures for frames of one size, part by part, as they are found."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = [folder / "frame.dng", folder / "other.dng"]
        for seed, path in enumerate(paths, 1):
            make_frame(path, megapixels, iso=3200, seed=seed)
        if "develop" in parts:
            report(developing(folder, paths[0]))
        if "steps" in parts:
            report(kernels(paths[0]))
            report(six_by_six(folder, megapixels))
        if "window" in parts:
            trim_heap()
            Path("/proc/self/clear_refs").write_text(
                "5", "ascii"
            )  # the peak begins anew: making the frames took more
            bench = Bench()
            report(in_the_window(bench, paths))
            report(six_panes(bench, {*_LIGHT_AND_COLOUR, *_EVERYTHING}, _EVERYTHING))
            report(
                [("peak memory of the window's process, six panes of two frames, MB", f"{peak_memory():.0f}")]
            )
            bench.window.close()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--megapixels", type=float, nargs="+", default=[24])
    parser.add_argument(
        "--parts", nargs="+", choices=_PARTS, default=_PARTS, help="other rows stay in the table"
    )
    parser.add_argument(
        "--rows", type=Path, help="(one size) write the rows here as JSON instead of the table"
    )
    args = parser.parse_args()
    if args.rows is not None:
        found: dict[str, str] = {}

        def report(rows: Rows) -> None:
            found.update(rows)
            args.rows.write_text(json.dumps(found), "utf-8")

        warm()
        measure(args.megapixels[0], args.parts, report)
        return
    for size in args.megapixels:
        for part in args.parts:  # each in a process of its own: memory is that of one alone
            with tempfile.NamedTemporaryFile(suffix=".json") as file:
                command = [sys.executable, __file__, "--megapixels", str(size), "--rows", file.name]
                done = subprocess.run([*command, "--parts", part])
                text = Path(file.name).read_text("utf-8")
                write(size, json.loads(text) if text else {})
            done.check_returncode()


def kept_columns() -> dict[float, dict[str, str]]:
    """The columns of the present table."""
    table = ROOT / "docs" / "speed.md"
    rows = [
        [cell.strip() for cell in line.strip("|\n").split("|")]
        for line in (table.read_text("utf-8").splitlines() if table.exists() else [])
        if line.startswith("| ")
    ]
    if not rows:
        return {}
    head = [float(cell.removesuffix(" MP")) for cell in rows[0][1:]]
    return {
        size: {row[0]: row[place] for row in rows[1:] if len(row) > place}
        for place, size in enumerate(head, 1)
    }


def write(measured: float, found: dict[str, str]) -> None:
    """Write the table: what was measured, and what is known besides from former runs."""
    everything = kept_columns()
    everything[measured] = everything.get(measured, {}) | found
    sizes = sorted(everything)
    columns = [everything[size] for size in sizes]
    given = " ".join(f"{size:g}" for size in sizes)
    names = list(dict.fromkeys(name for column in columns for name in column))
    lines = [
        "# Speed", "",
        f"Made by `python benchmarks/speed.py --megapixels {given}` on {os.cpu_count()} processor cores: simulated Bayer",
        "frames at ISO 3200, a window of 1280×800 with two panes, kernels warm. Ratios are of times in the same run",
        "(smaller is faster); each size is a run of its own.", "",
        "| what | " + " | ".join(f"{size:g} MP" for size in sizes) + " |",
        "|---" * (1 + len(columns)) + "|",
        *(f"| {what} | " + " | ".join(column.get(what, "") for column in columns) + " |" for what in names),
    ]  # fmt: skip
    text = "\n".join(lines) + "\n"
    print(text, flush=True)
    (ROOT / "docs" / "speed.md").write_text(text, "utf-8")


if __name__ == "__main__":
    main()
