"""Two windows on one frame, each a program of its own, sliders dragged in both: no edit is lost, nothing piles up."""

from __future__ import annotations

import json
import random
import shutil
import subprocess
import sys
from pathlib import Path

from irvane.core.files.sidecar import sidecar_path

_FRAME = Path(__file__).parents[1] / "golden" / "frames" / "lamp.dng"

_WINDOW = """
import json, sys, time
from pathlib import Path
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from irvane.desktop.window import Window

app = QApplication(sys.argv)
window = Window()
window.show()
window.opening.open([Path(sys.argv[1])])

def until(true):
    end = time.monotonic() + 60
    while not true() and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.002)

until(lambda: window.session.items and all(i.ready for i in window.session.items.values()))
item = next(iter(window.session.items.values()))
until(lambda: window.service.engine.best(item.source, item.settings(0).sensor) is not None)
print("ready", flush=True)
for line in sys.stdin:
    path, share, wait = json.loads(line)
    time.sleep(wait)
    if window.band.station != "light":
        window.band.toggle("light")
    window._update_controls()
    slider = window.shelf.stations["light"].rows[path].slider
    y, wide = slider.height() // 2, slider.width()
    for step, act in enumerate((QTest.mousePress, QTest.mouseMove, QTest.mouseMove, QTest.mouseRelease)):
        at = QPoint(round(4 + (wide - 8) * (share + 0.02 * min(step - 2, 0))), y)
        act(slider, pos=at) if act is QTest.mouseMove else act(slider, Qt.MouseButton.LeftButton, pos=at)
        app.processEvents()
    until(window.service.files.idle)
    own = item.settings(window.bench.contents[0].proof)
    print(json.dumps([own.light.exposure, own.light.contrast, own.light.shadows]), flush=True)
window.close()
"""


def _values(frame: Path) -> list[list[float]]:
    proofs = json.loads(sidecar_path(frame).read_text("utf-8"))["proofs"]
    return [
        [p["settings"]["values"][f"light.{name}"] for name in ("exposure", "contrast", "shadows")]
        for p in proofs
    ]


def test_drags_in_two_windows_lose_nothing(tmp_path: Path) -> None:
    frame = tmp_path / "lamp.dng"
    shutil.copy(_FRAME, frame)
    command = [sys.executable, "-c", _WINDOW, str(frame)]
    windows = [
        subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) for _ in range(2)
    ]
    for window in windows:
        assert window.stdout is not None and window.stdout.readline() == "ready\n"
    chance, seen = random.Random(5), [[0.0, 0.0, 0.0], [0.0, 0.0, 0.0]]
    for _ in range(20):
        both = chance.sample((0, 1), chance.choice((1, 2, 2)))
        for which in both:
            path = chance.choice(("light.exposure", "light.contrast", "light.shadows"))
            stdin = windows[which].stdin
            assert stdin is not None
            stdin.write(json.dumps([path, chance.uniform(0.1, 0.9), chance.uniform(0, 0.05)]) + "\n")
            stdin.flush()
        for which in both:
            stdout = windows[which].stdout
            assert stdout is not None
            seen[which] = json.loads(stdout.readline())
        kept = _values(frame)
        for which in both:
            assert seen[which] in kept, "what a window shows is on disk"
        assert len(kept) <= 2, "each goes on with its own"
    for window in windows:
        assert window.stdin is not None
        window.stdin.close()
        assert window.wait(30) == 0
    assert sorted(seen) == sorted(_values(frame)), "both windows' edits are there at the end"
