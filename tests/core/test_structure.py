"""The rules that keep the core usable without a window."""

from __future__ import annotations

import ast
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


def test_modules_stay_short() -> None:
    for path in ROOT.rglob("*.py"):
        assert len(path.read_text("utf-8").splitlines()) <= 450, path


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
