"""What a report of a fault holds: versions and the last lines of the log, without places, names or serial
numbers."""

from __future__ import annotations

import importlib.metadata
import platform
import re
from pathlib import Path

import platformdirs

from irvane import __version__
from irvane.core.store.kept import STORE

#: Lines of the log that go along.
_LINES = 120
_PACKAGES = (
    "PySide6-Essentials",
    "numpy",
    "numba",
    "opencv-python-headless",
    "openvino",
    "rawpy",
    "tifffile",
    "exiv2",
)
#: Paths (absolute ones, with spaces where they are quoted), coordinates, and runs of digits as serial numbers
#: have them.
_PATHS = re.compile(r"(?P<quote>['\"“])(?:/|~|[A-Za-z]:\\)[^'\"”]+['\"”]|(?<![\w.])(?:/|~/)[^\s:;,'\")]+")
_PLACES = re.compile(r"-?\d{1,3}\.\d{4,}\s*[,;]\s*-?\d{1,3}\.\d{4,}")
_NUMBERS = re.compile(r"\b\d{6,}\b")
_FILES = re.compile(
    r"[^\s/\\:;,'\"“”()]+\.(?:dng|tiff?|jpe?g|png|exr|jxl|avif|json|[a-z0-9]{3})\b", re.IGNORECASE
)
_OURS = re.compile(r'File "[^"]*?(irvane[^"]*)", line (\d+)')


def without_telling(text: str) -> str:
    """Text without paths, names of files, places and serial numbers; lines of our own code stay readable."""
    text = _OURS.sub(lambda m: f"File ‹{m.group(1).replace('/', '‹')}› line {m.group(2)}", text)
    text = _PLACES.sub("‹place›", text)
    text = _PATHS.sub("‹path›", text)
    text = _FILES.sub(lambda m: m.group() if m.group().endswith(".py") else "‹file›", text)
    return _NUMBERS.sub("‹number›", text)


def fault_report(log: Path | None = None) -> str:
    """The report as text, to be read before it is passed on."""
    path = log or platformdirs.user_log_path("irvane") / "irvane.log"
    try:
        lines = path.read_text("utf-8", "replace").splitlines()[-_LINES:]
    except OSError:
        lines = []
    versions = []
    for name in _PACKAGES:
        try:
            versions.append(f"{name} {importlib.metadata.version(name)}")
        except importlib.metadata.PackageNotFoundError:
            continue
    head = [
        f"Irvane {__version__}, Python {platform.python_version()}, {platform.system()} {platform.machine()}",
        ", ".join(versions),
        "kept: "
        + (", ".join(f"{kind} {size / 1e6:.0f} MB" for kind, size in STORE.by_kind().items()) or "nothing"),
        "",
        *(lines or ["The log is empty."]),
    ]
    return without_telling("\n".join(head))
