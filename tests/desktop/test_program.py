"""The program as it is started: in a real X window, and on a sound Qt."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot


def test_qt_keeps_the_references_of_none(qtbot: QtBot) -> None:
    # some builds of PySide6 drop a reference of None with every void call, until the process aborts
    button = QPushButton()
    qtbot.addWidget(button)
    before = sys.getrefcount(None)
    for _ in range(1000):
        button.setEnabled(True)
    assert abs(sys.getrefcount(None) - before) < 200


def test_numba_runs_on_a_thread_safe_layer() -> None:
    import numba

    from irvane.warm import warm

    warm()
    assert numba.threading_layer() in ("omp", "tbb")


@pytest.mark.xvfb
@pytest.mark.skipif(
    shutil.which("Xvfb") is None or shutil.which("xdotool") is None, reason="needs Xvfb and xdotool"
)
def test_the_program_starts_in_an_x_window_and_obeys_the_keyboard(frames: Path) -> None:
    display = f":{90 + os.getpid() % 400}"
    server = subprocess.Popen(["Xvfb", display, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    env = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    program = None
    try:
        time.sleep(1)
        program = subprocess.Popen(
            [sys.executable, "-m", "irvane.cli", "open", str(frames / "test-card.dng")],
            env=env,
            stderr=subprocess.PIPE,
            text=True,
        )

        def tool(*arguments: str) -> str:
            done = subprocess.run(
                ["xdotool", *arguments], env=env, capture_output=True, text=True, check=False
            )
            return done.stdout.strip()

        window = ""
        for _ in range(120):
            window = tool("search", "--onlyvisible", "--name", "^Irvane$").partition("\n")[0]
            if window or program.poll() is not None:
                break
            time.sleep(0.25)
        assert window, program.stderr.read() if program.poll() is not None and program.stderr else "no window"
        time.sleep(3)
        tool("windowfocus", window)
        tool("key", "--window", window, "n")
        sidecar = frames / "test-card.dng.irvane.json"
        for _ in range(60):
            if sidecar.exists():
                break
            tool("windowfocus", window)
            tool("key", "n")
            time.sleep(0.5)
        assert sidecar.exists(), "the key for a new proof was obeyed and saved"
        tool("key", "ctrl+q")
        assert program.wait(20) == 0
    finally:
        if program is not None and program.poll() is None:
            program.kill()
        server.terminate()
        server.wait(10)


def test_a_first_start_shows_the_demo_and_its_path(
    qtbot: QtBot, tmp_path: Path, demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from irvane.desktop import app, service
    from irvane.desktop.window import Window

    folder = tmp_path / "demo"
    monkeypatch.setattr(service, "demo_folder", lambda: folder)
    monkeypatch.setattr(service, "make_demo", lambda to, progress: shutil.copytree(demo, to))
    monkeypatch.setattr(app.platformdirs, "user_state_path", lambda _name: tmp_path / "state")
    assert app._is_first_start()
    assert not app._is_first_start()
    window = Window()
    qtbot.addWidget(window)
    window.show()
    window.writing.make_demo()
    qtbot.waitUntil(lambda: len(window.session.items) == 6, timeout=20000)
    assert window.path.isVisible()
    assert not window.strip.isVisible()
    for _ in range(20):
        window.path.go(window.path.step + 1)
    assert not window.path.isVisible()
    window.close()
