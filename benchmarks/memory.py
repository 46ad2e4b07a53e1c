"""Memory of the window's process with frames of 24 megapixels: one made and idle, twelve of 21 visited, all closed.

``.venv/bin/python benchmarks/memory.py [FOLDER]``; the frames are made in FOLDER once. Prints a row a state, in MB: what the process
has of its own (private pages), and the most it had since the row before.
"""

from __future__ import annotations

import os
import sys
import tempfile
import threading
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
    os.environ.setdefault("IRVANE_KERNELS", str(Path.home() / ".cache" / "irvane" / "kernels"))
    os.environ[_name] = tempfile.mkdtemp(prefix="irvane-memory-")

from PySide6.QtWidgets import QApplication  # noqa: E402

from irvane.core.simulate.demo import make_frame  # noqa: E402
from irvane.desktop import theme  # noqa: E402
from irvane.desktop.window import Window  # noqa: E402

_COUNT, _VISITED, _REST = 21, 12, 12.0


def private() -> float:
    """Megabytes of the process's own pages."""
    text = Path("/proc/self/smaps_rollup").read_text("ascii")
    values = {line.split(":")[0]: int(line.split()[1]) for line in text.splitlines()[1:]}
    return (values["Private_Clean"] + values["Private_Dirty"]) / 1024


class _Peak(threading.Thread):
    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.most = 0.0
        self.start()

    def run(self) -> None:
        while True:
            self.most = max(self.most, private())
            time.sleep(0.1)


def frames(folder: Path) -> list[Path]:
    """The frames: one scene, each file of its own content."""
    folder.mkdir(parents=True, exist_ok=True)
    first = folder / "m00.dng"
    if not first.exists():
        make_frame(first, 24, iso=3200)
    data = first.read_bytes()
    made = [first]
    for number in range(1, _COUNT):
        path = folder / f"m{number:02d}.dng"
        if not path.exists():
            path.write_bytes(data + bytes([number] * number))
        made.append(path)
    return made


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(tempfile.gettempdir()) / "irvane-memory"
    paths, peak = frames(folder), _Peak()
    app = QApplication(sys.argv)
    theme.apply(app)
    window = Window()
    window.resize(1280, 800)
    window.show()

    def rest(seconds: float, most: float = 240) -> None:
        """Until nothing was computed for so long."""
        still, began = time.monotonic(), time.monotonic()
        while time.monotonic() - still < seconds and time.monotonic() - began < most:
            app.processEvents()
            time.sleep(0.01)
            if not window.service.idle():
                still = time.monotonic()

    def tell(what: str) -> None:
        print(f"| {what} | {private():.0f} | {peak.most:.0f} |", flush=True)
        peak.most = 0.0

    rest(2)
    tell("empty window")
    window.opening.open([paths[0]])
    rest(_REST)
    tell("one frame, denoised, idle")
    window.close_item()
    rest(_REST)
    tell("it is closed")
    window.opening.open(paths)
    rest(4)
    for item in list(window.session.items.values())[:_VISITED]:
        window.rail.choose(item.number)
        rest(1.5)
    rest(_REST)
    tell(f"{_VISITED} of {_COUNT} visited")
    while window.session.items:
        window.rail.choose(next(iter(window.session.items)))
        window.close_item()
        app.processEvents()
    rest(_REST)
    tell("all closed")
    os._exit(0)


if __name__ == "__main__":
    main()
