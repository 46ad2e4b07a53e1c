"""The rules that keep the core usable without a window."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2] / "src" / "irvane"


def _imports(path: Path) -> set[str]:
    names: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
    return names


def test_core_imports_neither_qt_nor_the_window() -> None:
    for path in (ROOT / "core").rglob("*.py"):
        found = [n for n in _imports(path) if n.startswith(("PySide6", "pyqtgraph", "irvane.desktop"))]
        assert not found, (path, found)


def test_importing_the_core_loads_no_qt() -> None:
    code = "import sys, irvane.core.line.engine, irvane.core.finish.job; print(any('PySide6' in m for m in sys.modules))"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert out.stdout.strip() == "False"


def test_window_does_no_arithmetic_on_pixels() -> None:
    # numpy may only carry arrays to QImage and plots there; OpenCV and Numba have no business in it
    for path in (ROOT / "desktop").rglob("*.py"):
        assert not {"cv2", "numba", "scipy"} & {n.partition(".")[0] for n in _imports(path)}, path


#: Longer lines that are left: sentences and style sheets that cannot be broken well. Their number must not rise.
_LONG_LINES = 28


def test_modules_and_lines_stay_short() -> None:
    long = []
    for path in ROOT.rglob("*.py"):
        lines = path.read_text("utf-8").splitlines()
        assert len(lines) <= 400, path
        long += [f"{path.name}: {line}" for line in lines if len(line) > 110]
    assert len(long) <= _LONG_LINES, long


def test_the_type_checker_is_told_to_look_away_no_more_often() -> None:
    """Each of these hides a mistake as well."""
    texts = [path.read_text("utf-8") for path in ROOT.rglob("*.py")]
    assert sum(text.count("# type: ignore") for text in texts) <= 67


#: Work on whole frames and parts of them, and the one place that calls it.
_WORK = {
    "denoise_whole",
    "refine_plain",
    "with_lens_measured",
    "denoise_region",
    "denoise_view",
    "refine_region",
}
#: Methods that only the line calls: nobody else demosaics, denoises, deblurs or keeps the order of these.
_METHODS = {"denoise_mosaic", "denoise_finished", "denoise_reduced", "demosaic", "full_colour", "deblurred"}


def _called(path: Path) -> set[str]:
    calls = [node.func for node in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(node, ast.Call)]
    return {one.attr if isinstance(one, ast.Attribute) else getattr(one, "id", "") for one in calls}


def test_the_line_is_run_in_one_place() -> None:
    line = ROOT / "core" / "line"
    callers = {path.name for path in ROOT.rglob("*.py") if _WORK & _called(path)}
    assert callers == {"executor.py"}
    methods = {path for path in ROOT.rglob("*.py") if _METHODS & _called(path)}
    own = {ROOT / "core" / "noise", ROOT / "core" / "sensor"}
    assert not [path for path in methods if path.parent not in (line, *own)]


#: Kernels, where a call would cost, and what is about other halves: of stops, kernels and blocks.
_HALVES = 38


def test_half_a_pixel_is_counted_in_one_place() -> None:
    """Where samples lie on a grid is asked of :mod:`irvane.core.pixels.grids`; the number of other places must not rise."""
    halves = re.compile(r"\+ 0\.5\)? \*|- 0\.5\b")
    found = [
        line
        for path in (ROOT / "core").rglob("*.py")
        if path.parent.name not in ("pixels", "simulate")
        for line in path.read_text("utf-8").splitlines()
        if halves.search(line)
    ]
    assert len(found) <= _HALVES, found


def _keeps(path: Path) -> bool:
    """Does a module keep what it made at its top, or by identity, beside the store?"""
    for node in ast.parse(path.read_text("utf-8")).body:
        value = getattr(node, "value", None)
        if isinstance(node, ast.AnnAssign | ast.Assign) and isinstance(value, ast.Call):
            name = getattr(value.func, "id", getattr(value.func, "attr", ""))
            if name in (
                "OrderedDict",
                "WeakKeyDictionary",
                "WeakValueDictionary",
                "defaultdict",
                "lru_cache",
            ):
                return True
    return False


def test_what_is_kept_beside_frames_is_kept_in_the_store() -> None:
    assert not [path for path in (ROOT / "core").rglob("*.py") if _keeps(path)]
    named = [p for p in (ROOT / "core").rglob("*.py") if "id" in _called(p)]
    assert not named, "an identity is used again by another object: the store knows when"


#: What may be larger than _LARGEST in the repository: rooms of the demo, weights, pictures for the documents. A name is added knowingly.
_LARGE = ("src/irvane/core/simulate/maps/", "docs/screenshots/")
_LARGE_FILES = {
    "src/irvane/core/noise/six_by_six.onnx", "src/irvane/core/noise/bayer.onnx", "src/irvane/core/acutance/deblur.onnx",
    "src/irvane/core/regions/likely.onnx", "src/irvane/core/sensor/six_by_six.npz", "docs/noise-crops.png",
    "docs/merge-operators.jpg",
}  # fmt: skip
_LARGEST, _LARGEST_OF_ALL = 300_000, 4 * 2**20


def test_the_repository_stays_light() -> None:
    top = ROOT.parents[1]
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=top, capture_output=True, text=True, check=False)
    sizes = {
        name: (top / name).stat().st_size
        for name in listed.stdout.split("\0")
        if name and (top / name).is_file()
    }
    large = {name: size for name, size in sizes.items() if size > _LARGEST}
    fresh = [name for name in large if not name.startswith(_LARGE) and name not in _LARGE_FILES]
    assert not fresh, "larger than 300 kB; is that meant? Each stays in the history for good"
    assert not [name for name, size in large.items() if size > _LARGEST_OF_ALL]
