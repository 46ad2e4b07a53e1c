"""The program as it is started: in a real X window, and on a sound Qt."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from irvane.desktop import app
from irvane.desktop.second_start import Listener, hand_over, socket_path

from .conftest import Driver


def test_qt_keeps_the_references_of_none(qtbot: QtBot) -> None:
    # some builds of PySide6 drop a reference of None with every void call, until the process aborts
    button = QPushButton()
    qtbot.addWidget(button)
    before = sys.getrefcount(None)
    for _ in range(1000):
        button.setEnabled(True)
    assert abs(sys.getrefcount(None) - before) < 200


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


@pytest.mark.skipif(shutil.which("weston") is None, reason="needs weston")
@pytest.mark.parametrize("factor", ["1", "1.5"])
def test_the_program_runs_under_wayland(factor: str, frames: Path, tmp_path: Path) -> None:
    """A compositor without a screen, twice as dense, and a fraction besides; a later start hands its files over to the window."""
    runtime = tmp_path / "run"
    runtime.mkdir(mode=0o700)
    env = {
        **os.environ, "XDG_RUNTIME_DIR": str(runtime), "XDG_STATE_HOME": str(tmp_path / "state"),
        "WAYLAND_DISPLAY": "irvane-test", "QT_QPA_PLATFORM": "wayland", "QT_SCALE_FACTOR": factor,
    }  # fmt: skip
    env.pop("DISPLAY", None)
    compositor = subprocess.Popen(
        ["weston", "--backend=headless-backend.so", "--socket=irvane-test", "--use-pixman", "--width=1280", "--height=800",
         "--scale=2", "--no-config"],
        env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    start = [sys.executable, "-m", "irvane.cli", "open"]
    program = None
    try:
        _within(20, (runtime / "irvane-test").exists)
        program = subprocess.Popen(
            [*start, str(frames / "test-card.dng")], env=env, stderr=subprocess.PIPE, text=True
        )
        # how long its stages take is noted once the frame was developed
        _within(60, lambda: (tmp_path / "state/irvane/stages.json").exists() or program.poll() is not None)
        assert program.poll() is None, program.stderr.read() if program.stderr else ""
        later = subprocess.run(
            [*start, str(frames / "window-leaves.dng")], env=env, capture_output=True, text=True, timeout=60
        )
        assert (later.returncode, later.stdout.strip()) == (0, "opened in the window that is there already")
        assert program.poll() is None
    finally:
        for process in (program, compositor):
            if process is not None:
                process.terminate()
                process.wait(10)


def _within(seconds: float, happens: Callable[[], bool]) -> None:
    until = time.monotonic() + seconds
    while not happens():
        assert time.monotonic() < until
        time.sleep(0.1)


def test_a_first_start_shows_the_demo_and_its_path(
    qtbot: QtBot, tmp_path: Path, demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from irvane.desktop import service
    from irvane.desktop.window import Window

    folder = tmp_path / "demo"
    monkeypatch.setattr(service, "demo_folder", lambda: folder)
    monkeypatch.setattr("irvane.core.simulate.demo.make_demo", lambda to, progress: shutil.copytree(demo, to))
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
    # a step notices that it is done
    qtbot.waitUntil(lambda: window.proofs.item() is not None and window.proofs.item().ready, timeout=20000)
    window.path.go(2)
    window.proofs.edit("light.exposure", 1.0)
    qtbot.waitUntil(lambda: window.path.step == 3, timeout=8000)
    for _ in range(20):
        window.path.go(window.path.step + 1)
    assert not window.path.isVisible()
    window.close()


def test_a_second_start_gives_its_files_to_the_open_window(qtbot: QtBot, tmp_path: Path) -> None:
    paths = [tmp_path / "a.dng", tmp_path / "b \udcff.dng"]
    assert not hand_over(paths), "no window is open"
    parent = QObject()
    listener = Listener(parent)
    taken: list[list[Path]] = []
    answers: list[bool] = []
    listener.handed.connect(taken.append)

    def start(given: list[Path]) -> None:
        client = threading.Thread(target=lambda: answers.append(hand_over(given)))
        client.start()
        qtbot.waitUntil(lambda: not client.is_alive(), timeout=5000)

    start(paths)
    start([])
    assert answers == [True, True] and taken == [paths, []]
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as other:  # what is no message is not taken
        other.connect(str(socket_path()))
        other.sendall(b"junk")
        other.shutdown(socket.SHUT_WR)
        qtbot.wait(100)
        assert other.recv(10) == b"" and len(taken) == 2
    listener.close()
    assert not hand_over(paths) and not socket_path().exists()
    socket_path().touch()  # what a crash left is no obstacle
    again = Listener(parent)
    start(paths)
    again.close()
    assert answers[-1]


def test_what_a_second_start_brings_is_shown(driver: Driver, frames: Path, tmp_path: Path) -> None:
    shutil.copy(frames / "test-card.dng", tmp_path / "late.dng")
    driver.choose("bench-iso6400.dng")
    app._take(driver.window, [tmp_path / "late.dng"])
    driver.until(
        lambda: (
            driver.window.bench.item(0) is not None and driver.window.bench.item(0).source.name == "late.dng"
        )
    )
