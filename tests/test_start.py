"""What starts without a picture loads no library that only pictures need."""

from __future__ import annotations

import subprocess
import sys
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import active_children, get_context
from pathlib import Path

import pytest

from irvane import warm
from irvane.cli import main
from irvane.core.errors import Cancelled
from irvane.core.private import kernels_folder

#: Each of these takes a fifth of a second and more to load.
_HEAVY = ("cv2", "numba", "scipy", "PySide6", "openvino", "lensfunpy", "jinja2")


def _loaded(words: str, *given: str) -> set[str]:
    """Names of modules that are loaded once some words of Python were run in a process of their own."""
    code = f"import sys\ntry:\n    {words}\nexcept SystemExit:\n    pass\nprint('|' + '|'.join(sys.modules), file=sys.stderr)"
    done = subprocess.run([sys.executable, "-c", code, *given], capture_output=True, text=True, check=True)
    return set(done.stderr.splitlines()[-1].split("|"))


@pytest.mark.parametrize("words", [["--help"], ["info", "FRAME"], ["mark", "--help"]])
def test_commands_without_a_picture_load_no_library_for_pictures(words: list[str], frames: Path) -> None:
    frame = str(frames / "bench-iso6400.dng")
    call = "from irvane.cli import main; main(sys.argv[1:])"
    given = [frame if word == "FRAME" else word for word in words]
    _loaded(call, *given)  # what the lens database says of a lens is kept from here on
    loaded = _loaded(call, *given)
    assert "irvane.cli" in loaded
    assert not loaded & set(_HEAVY)


def test_the_window_starts_without_what_single_jobs_need() -> None:
    loaded = _loaded("import irvane.desktop.app")
    assert "irvane.desktop.window" in loaded
    unwanted = {
        "numba",
        "openvino",
        "lensfunpy",
        "jinja2",
        "scipy.optimize",
        "scipy.fft",
        "exiv2",
        "tifffile",
    }
    assert not loaded & unwanted


def test_a_command_that_computes_compiles_first_and_on_all_cores(
    frames: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    compiled: list[bool] = []
    monkeypatch.setattr(warm, "is_warm", lambda: bool(compiled))
    monkeypatch.setattr(warm, "warm", lambda progress: compiled.append(progress(0.5)))
    frame = str(frames / "bench-iso6400.dng")
    assert main(["info", frame]) == 0
    assert not compiled, "a header needs no kernel"
    assert main(["measure", frame, "--at", "100,100,64,64"]) == 0
    assert compiled == [True]
    assert "compiling for this machine, once  50%" in capsys.readouterr().err
    assert main(["measure", frame, "--at", "100,100,64,64"]) == 0
    assert compiled == [True], "once"


def test_compiling_ends_when_it_is_cancelled() -> None:
    with pytest.raises(Cancelled):
        warm.warm(lambda _share: False)
    assert not active_children()


def test_what_is_compiled_lies_where_the_program_looks(tmp_path: Path) -> None:
    # where the cache cannot be written the program has a folder of its own, which other processes would not know
    with ProcessPoolExecutor(
        1, get_context("spawn"), initializer=warm._begin, initargs=(0, str(tmp_path))
    ) as pool:
        assert pool.submit(kernels_folder).result() == tmp_path
