"""The contact sheet with many frames: when it can be used, when all previews are there, memory, delays of the window.

    python benchmarks/sheet.py [COUNT] [small | raw | jpeg]

Frames are copies of a simulated raw (0.5 or 24 megapixels) or of its JPEG of 24 megapixels that differ in content, in a folder and
a home of their own; once with an empty store of small pictures, once with a full one.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_HOME = Path(tempfile.mkdtemp(prefix="irvane-sheet-"))
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
    if _name == "XDG_CACHE_HOME":
        os.environ.setdefault("IRVANE_KERNELS", str(Path.home() / ".cache" / "irvane" / "kernels"))
    os.environ[_name] = str(_HOME / _name)

import cv2  # noqa: E402
import exiv2  # noqa: E402
import imagecodecs  # noqa: E402
import numpy as np  # noqa: E402
from PySide6.QtCore import QTimer  # noqa: E402
from PySide6.QtWidgets import QApplication, QWidget  # noqa: E402

from irvane.core.colour.rendering import render, to_screen  # noqa: E402
from irvane.core.files.writers import write_jpeg  # noqa: E402
from irvane.core.simulate.demo import make_demo, make_frame, scene_light  # noqa: E402
from irvane.desktop import theme  # noqa: E402
from irvane.desktop.window import Window  # noqa: E402


def _memory() -> float:
    """Megabytes of this process that are in memory and its own."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("RssAnon"):
            return int(line.split()[1]) / 1024
    return 0.0


def _model(kind: str) -> Path:
    """The picture that all frames are copies of."""
    if kind == "raw":
        make_frame(_HOME / "model.dng", 24)
        return _HOME / "model.dng"
    make_demo(_HOME / "small", seed=1, small=True)
    card = _HOME / "small" / "test-card.dng"
    if kind == "small":
        return card
    light = cv2.resize(scene_light("bench", (2000, 3000), 1), (6000, 4000), interpolation=cv2.INTER_CUBIC)
    path = _HOME / "model.jpg"
    pixels = np.ascontiguousarray(to_screen(render(light))[..., :3])
    write_jpeg(path, pixels, space="srgb", description="", source=card, quality=92)
    # as cameras do, with a thumbnail in the Exif part
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    small = imagecodecs.jpeg8_encode(cv2.resize(pixels, (160, 107), interpolation=cv2.INTER_AREA), level=85)
    exiv2.ExifThumb(image.exifData()).setJpegThumbnail(bytes(small))
    image.writeMetadata()
    return path


def _frames(folder: Path, count: int, kind: str) -> None:
    model = _model(kind)
    data = model.read_bytes()
    folder.mkdir()
    for k in range(count):
        (folder / f"frame-{k:05}{model.suffix}").write_bytes(data + f"{k:08}".encode())


def measure(app: QApplication, folder: Path, count: int) -> str:
    window = Window()
    window.resize(1280, 800)
    window.show()
    for _ in range(50):
        app.processEvents()
        time.sleep(0.01)
    empty, plain = _memory(), len(window.findChildren(QWidget))
    beats = [time.monotonic()]
    worst = [0.0]

    def beat() -> None:
        now = time.monotonic()
        worst[0] = max(worst[0], now - beats[0] - 0.005)
        beats[0] = now

    timer = QTimer(interval=5)
    timer.timeout.connect(beat)
    timer.start()
    window.sheeting.toggle()
    began = time.monotonic()
    window.opening.open([folder])
    listed = usable = done = 0.0
    sheet = window.sheeting.sheet
    while not done and time.monotonic() - began < 900:
        app.processEvents()
        time.sleep(0.001)
        now = time.monotonic() - began
        items = window.session.items
        if not listed and len(items) == count:
            listed = now
        there = sheet.frames.rowCount() == count
        if (
            there
            and listed
            and not usable
            and all(items[n].preview is not None for n in sheet.visible_items())
        ):
            usable = now
        if usable and sum(item.ready for item in items.values()) == count:
            done = now
    delay = worst[0]
    bar = sheet.list.verticalScrollBar()
    frames = []
    for k in range(60):  # a screenful each time
        start = time.monotonic()
        bar.setValue(min(bar.maximum(), k * bar.maximum() // 60))
        sheet.list.viewport().repaint()
        frames.append(time.monotonic() - start)
    frames.sort()
    told = (
        f"| {count} | {listed:.2f} s | {usable:.2f} s | {done:.1f} s | {_memory() - empty:.0f} MB | {1000 * delay:.0f} ms "
        f"| {1000 * frames[30]:.1f} ms, {1000 * frames[57]:.1f} ms | {len(window.findChildren(QWidget)) - plain} |"
    )
    timer.stop()
    window.close()
    return told


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    kind = sys.argv[2] if len(sys.argv) > 2 else "small"
    folder = _HOME / "frames"
    sys.setswitchinterval(0.001)
    app = QApplication([])
    theme.apply(app)
    try:
        _frames(folder, count, kind)
        print(
            "| frames | listed | seen ones there | all there | memory | longest delay | a screenful painted (median, 95 %) | widgets more than without frames |"
        )
        print("|---|---|---|---|---|---|---|---|")
        for _ in ("empty store", "full store"):
            print(measure(app, folder, count), flush=True)
    finally:
        shutil.rmtree(_HOME)


if __name__ == "__main__":
    main()
