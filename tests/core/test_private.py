"""Compiled kernels are code: they come from folders of one's own, and are as new as everything that they were made from."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from irvane.core import brought, compiling, installed, kernels, private, processor


@pytest.fixture
def folder_of(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    """What is taken for kernels when a folder is chosen."""

    def chosen(folder: Path) -> Path:
        monkeypatch.setenv(private.VARIABLE, str(folder))
        return private.kernels_folder.__wrapped__()

    return chosen


def test_only_folders_of_ones_own_hold_kernels(tmp_path: Path, folder_of) -> None:
    own = tmp_path / "own"
    assert folder_of(own) == own and own.stat().st_mode & 0o777 == 0o700
    open_to_all = tmp_path / "open"
    open_to_all.mkdir()
    open_to_all.chmod(0o777)
    found = folder_of(open_to_all)
    assert found != open_to_all and found.stat().st_mode & 0o777 == 0o700 and private.is_private(found)
    inside = open_to_all / "inside"
    inside.mkdir(mode=0o700)
    assert folder_of(inside) != inside, "others could put another folder in its place"


def test_a_cache_that_was_open_once_has_a_second_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """No compiling at every start: what an open folder may hold is not used, a folder beside it is."""
    monkeypatch.delenv(private.VARIABLE, raising=False)
    monkeypatch.setattr(private.platformdirs, "user_cache_path", lambda _name: tmp_path)
    (tmp_path / "kernels").mkdir()
    (tmp_path / "kernels").chmod(0o777)
    assert private.kernels_folder.__wrapped__() == tmp_path / "kernels-own"
    assert private.kernels_folder.__wrapped__() == tmp_path / "kernels-own", "again"


def test_a_group_of_ones_own_is_oneself(tmp_path: Path) -> None:
    tmp_path.chmod(0o775)
    own = private._is_own_group(tmp_path.stat().st_gid)
    assert private.is_private(tmp_path) == own


@pytest.mark.skipif(os.getuid() != 0, reason="only root can give files away")
def test_a_folder_of_another_user_holds_none(tmp_path: Path, folder_of) -> None:
    theirs = tmp_path / "theirs"
    theirs.mkdir()
    os.chown(theirs, 12345, 12345)
    assert folder_of(theirs) != theirs
    link = tmp_path / "link"
    link.symlink_to(theirs)
    assert folder_of(link) != link


_OUTER = "from irvane.core.kernels import serial\nfrom irvane.core.middle import half\n\n@serial\ndef outer(x):\n    return half(x) * 3\n"
_MIDDLE = "from irvane.core.kernels import inline\nfrom irvane.core.constant import MUCH\n\n@inline\ndef half(x):\n    return x * MUCH\n"
_RUN = "from irvane.core.outer import outer\nprint(int(outer(10)), len(outer.made().stats.cache_hits))"


def test_a_changed_constant_two_files_away_is_compiled_anew(tmp_path: Path) -> None:
    core = tmp_path / "irvane" / "core"
    core.mkdir(parents=True)
    for package in (core.parent, core):
        (package / "__init__.py").touch()
    for module in (kernels, compiling, brought, installed, processor, private):
        shutil.copy(str(module.__file__), core)
    for name, text in (("outer", _OUTER), ("middle", _MIDDLE), ("constant", "MUCH = 2\n")):
        (core / f"{name}.py").write_text(text)
    environment = {**os.environ, "PYTHONPATH": str(tmp_path), private.VARIABLE: str(tmp_path / "kept")}

    def told() -> list[str]:
        done = subprocess.run(
            [sys.executable, "-c", _RUN],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
            cwd=tmp_path,
        )
        return done.stdout.split()

    assert told()[0] == "60"
    stamp = compiling.source_stamp(Path(str(kernels.__file__)))
    assert told() == ["60", "1"], "kept"
    (core / "constant.py").write_text("MUCH = 3\n")
    assert told()[0] == "90"
    assert compiling.source_stamp(Path(str(kernels.__file__))) == stamp


_PACKAGE = """
import sys
from pathlib import Path
from irvane.core import brought, compiling
brought.BROUGHT = compiling.BROUGHT = Path(sys.argv[1])
from irvane.core.outer import outer
print(int(outer(10)), len(outer.made().stats.cache_hits), *brought.brought())
"""


@pytest.mark.skipif(
    not brought.TARGETS["x86-64-v3"] <= processor.abilities(),
    reason="kernels are brought for x86-64-v3 at least",
)
def test_a_package_brings_kernels_that_are_found_from_elsewhere(tmp_path: Path) -> None:
    """Made by what packages are made with, loaded in another process from another place that cannot be written."""
    core = tmp_path / "irvane" / "core"
    shutil.copytree(
        Path(kernels.__file__).parents[1],
        core.parent,
        ignore=shutil.ignore_patterns("__pycache__", "compiled"),
    )
    for name, text in (("outer", _OUTER), ("middle", _MIDDLE), ("constant", "MUCH = 2\n")):
        (core / f"{name}.py").write_text(text)
    (core.parent / "kernels.txt").write_text("0.1 irvane.core.outer.outer (int64,)\n--\n")
    environment = {**os.environ, "PYTHONPATH": str(tmp_path)}
    script = Path(__file__).parents[2] / "scripts" / "bring.py"
    for target in brought.TARGETS:
        subprocess.run(
            [sys.executable, str(script), target, str(tmp_path / "made")],
            env=environment,
            check=True,
            cwd=tmp_path,
        )
    place = (tmp_path / "made").rename(tmp_path / "elsewhere")
    kept = tmp_path / "kept"

    def told() -> list[str]:
        done = subprocess.run(
            [sys.executable, "-c", _PACKAGE, str(place)],
            env=environment | {private.VARIABLE: str(kept)},
            capture_output=True,
            text=True,
            check=True,
            cwd=tmp_path,
        )
        return done.stdout.split()

    fitting = [name for name, needed in brought.TARGETS.items() if needed <= processor.abilities()]
    assert told() == ["60", "1", *fitting]
    assert not list(kept.rglob("*.nb*")), "nothing was compiled"
    (core / "constant.py").write_text("MUCH = 3\n")
    assert told() == ["90", "0", *fitting], "what does not fit is compiled here"
    shutil.rmtree(kept)
    (place / fitting[0]).rename(place / "of-another-processor")
    (core / "constant.py").write_text("MUCH = 2\n")
    assert told() == (["60", "1", *fitting[1:]] if fitting[1:] else ["60", "0"]), "the next best kind"
