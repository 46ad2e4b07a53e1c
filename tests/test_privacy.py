"""Nothing leaves the machine: no socket of the internet, no look-up of a host, no folder of anybody else."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

_WINDOW = """
import sys
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from irvane.desktop import app
from irvane.desktop.window import Window
opened = []
def leave():
    window = next(w for w in QApplication.topLevelWidgets() if isinstance(w, Window))
    content = window.bench.contents[0]
    if content.state == "final" and window.service.idle():
        print("seen", flush=True)
        window.close()
        QApplication.quit()
timer = QTimer(interval=200)
timer.timeout.connect(leave)
QTimer.singleShot(0, timer.start)
sys.exit(app.run([Path(sys.argv[1])]))
"""


def _traced(home: Path, trace: Path, *command: str) -> str:
    """Run a command with a new home folder; returns what it asked the network and the resolver's files for."""
    own = {k: v for k, v in os.environ.items() if not k.startswith("XDG_")}
    environment = {**own, "HOME": str(home), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        ["strace", "-f", "-qq", "-e", "trace=socket,connect,sendto,openat", "-o", str(trace), *command],
        env=environment, capture_output=True, text=True, timeout=400, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    return trace.read_text("utf-8", "replace")


def _assert_private(trace: str, home: Path) -> None:
    assert "openat" in trace, "the trace holds something"
    for line in trace.splitlines():
        assert not re.search(r"AF_INET6?\b", line), line
        assert not re.search(r'"/etc/(resolv\.conf|hosts|nsswitch\.conf)"', line), line
    found = {p.name for top in (home, home / ".cache", home / ".local" / "share") for p in top.glob("*")}
    assert found <= {
        ".cache",
        ".local",
        ".config",
        "share",
        "state",
        "irvane",
        "fontconfig",
        "mesa_shader_cache",
    }, found


def test_developing_asks_no_network(frames: Path, tmp_path: Path) -> None:
    home = tmp_path / "home"
    home.mkdir()
    trace = _traced(
        home, tmp_path / "trace", sys.executable, "-m", "irvane.cli", "develop",
        str(frames / "bench-iso6400.dng"), "--out", str(tmp_path / "out.tif"),
    )  # fmt: skip
    assert (tmp_path / "out.tif").exists()
    assert "libopenvino" in trace, "the networks ran"
    _assert_private(trace, home)


def test_the_window_asks_no_network(frames: Path, tmp_path: Path) -> None:
    home = tmp_path / "home"
    home.mkdir()
    trace = _traced(
        home, tmp_path / "trace", sys.executable, "-c", _WINDOW, str(frames / "bench-iso6400.dng")
    )
    assert "libopenvino" in trace, "the networks ran"
    _assert_private(trace, home)


def test_the_inference_library_is_never_joined_by_its_statistics() -> None:
    from irvane.core import networks

    networks._runtime()
    assert sys.modules["openvino_telemetry"] is None
    with pytest.raises(ImportError):
        import openvino_telemetry  # noqa: F401
