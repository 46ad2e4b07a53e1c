"""What other people put beside frames: pipes, devices, links, names that are no text. Each ends in a sentence, at once."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import shots

from irvane.core.errors import IrvaneError, ReadError, WriteError
from irvane.core.files.collecting import collect
from irvane.core.files.presets import ENDING as PRESET
from irvane.core.files.presets import list_presets, read_preset
from irvane.core.files.settings_file import read_settings_file
from irvane.core.files.sidecar import load_sidecar, save_sidecar, sidecar_path
from irvane.core.finish.destination import read_destination
from irvane.core.finish.journal import RUNNING, Journal, Wanted
from irvane.core.judge.check import check_file
from irvane.core.line.source import FileSource, content_hash
from irvane.core.settings import Settings
from irvane.core.store import atomic
from irvane.core.store.atomic import atomic_file, remove_stale
from irvane.core.store.small import read_small


@pytest.fixture
def frame(tmp_path: Path) -> Path:
    path = tmp_path / "a.dng"
    shots.dng(path, np.full((96, 120, 3), 0.18, np.float32))
    return path


def _pipe(path: Path) -> Path:
    os.mkfifo(path)
    return path


def _endless(path: Path) -> Path:
    path.symlink_to("/dev/zero")
    return path


def _folder(path: Path) -> Path:
    path.mkdir()
    return path


KINDS = {"pipe": _pipe, "device": _endless, "folder": _folder}


@pytest.mark.parametrize("kind", KINDS)
def test_what_is_no_file_is_told_at_once(frame: Path, kind: str) -> None:
    odd = KINDS[kind](sidecar_path(frame))
    with pytest.raises(ReadError, match=f"it is a {kind}, not a file"):
        load_sidecar(frame, content_hash(frame))
    for read in (
        read_preset,
        read_settings_file,
        read_destination,
        content_hash,
        lambda p: FileSource(p).load(),
    ):
        with pytest.raises(IrvaneError, match=f"it is a {kind}"):
            read(odd)  # type: ignore[operator]
    presets = odd.parent / "presets"
    presets.mkdir()
    KINDS[kind](presets / f"x{PRESET}")
    assert f"it is a {kind}" in list_presets(presets)[1][0]
    assert Journal(odd).entries() == []
    with pytest.raises(WriteError, match=f"it is a {kind}"):
        Journal(odd).add([Wanted((frame,), Settings())], _destination())


def _destination():
    from irvane.core.finish.destination import SHIPPED

    return SHIPPED[0]


def test_a_pipe_in_place_of_a_sidecar_holds_no_command_up(frame: Path) -> None:
    _pipe(sidecar_path(frame))
    done = subprocess.run(
        [sys.executable, "-m", "irvane.cli", "mark", str(frame), "--keep"],
        capture_output=True, text=True, check=False, timeout=30,
    )  # fmt: skip
    assert (
        done.returncode == 1
        and "it is a pipe, not a file" in done.stderr
        and len(done.stderr.splitlines()) == 1
    )


def test_no_more_is_read_than_such_a_file_can_hold(tmp_path: Path) -> None:
    (tmp_path / "x").write_bytes(b"12345")
    assert read_small(tmp_path / "x", 5) == b"12345" and read_small(tmp_path / "y", 5) is None
    with pytest.raises(ReadError, match="too large to be settings"):
        read_small(tmp_path / "x", 4, "settings")


def test_a_sidecar_of_a_newer_kind_of_settings_is_left_as_it_is(frame: Path) -> None:
    key = content_hash(frame)
    path = save_sidecar(load_sidecar(frame, key) or _fresh(), frame, key).path
    data = json.loads(path.read_text("utf-8"))
    for change in ({"version": 9}, {"light.brilliance": 3}, {"noise.removed_by": "removal@9"}):
        newer = json.loads(json.dumps(data)) | {"program": "9.0"}
        settings = newer["proofs"][0]["settings"]
        (settings if "version" in change else settings["values"]).update(change)
        path.write_text(json.dumps(newer), "utf-8")
        with pytest.raises(ReadError, match=r"newer version of the program \(9.0\)"):
            load_sidecar(frame, key)
        with pytest.raises(ReadError, match="newer version"):
            save_sidecar(_fresh(), frame, key)
        assert json.loads(path.read_text("utf-8")) == newer


def _fresh():
    from irvane.core.files.proofs import Sidecar

    return Sidecar()


def test_an_unknown_array_is_refused_in_words(tmp_path: Path) -> None:
    odd = np.array([[0, 1, 2, 0, 1, 2], [1, 2, 0, 1, 2, 0], [2, 0, 1, 2, 0, 1]] * 2, np.int64)
    path = tmp_path / "odd.dng"
    shots.dng(path, np.full((96, 120, 3), 0.18, np.float32), cfa=odd)
    with pytest.raises(ReadError, match="6×6 colour filter pattern is of an unknown kind"):
        FileSource(path).load()


def test_names_that_are_no_text_are_told_with_signs(frame: Path) -> None:
    """A camera's and a lens's name in some old code page: looked for among the lenses, shown, nothing fails."""
    import exiv2

    data = frame.read_bytes()
    assert data.count(b"Test 35") == 1
    frame.write_bytes(data.replace(b"Test 35", b"T\xe9st\xff5").replace(b"Reference", b"R\xe9f\xe9renc\xff"))
    found = check_file(frame)
    assert found.kind and "fault" not in " ".join(found.problems)
    info = FileSource(frame).info
    for text in (info.make, info.model, info.lens):
        text.encode("utf-8")
    assert exiv2


def test_folders_and_pipes_named_like_pictures_are_none(frame: Path) -> None:
    _folder(frame.parent / "f.dng")
    _pipe(frame.parent / "p.jpg")
    for name in ("p10.dng", "p2.dng", "P1.dng"):
        (frame.parent / name).write_bytes(frame.read_bytes())
    found, problems = collect([frame.parent])
    assert [p.name for p in found] == ["a.dng", "P1.dng", "p2.dng", "p10.dng"] and not problems


def test_what_a_killed_queue_left_goes_when_it_starts_again(
    frame: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    journal = Journal(frame.parent / "queue.jsonl")
    entry = journal.add([Wanted((frame,), Settings())], _destination())[0]
    journal.tell(entry, RUNNING)
    folder = entry.how.folder_for(frame)
    folder.mkdir(parents=True, exist_ok=True)
    left = folder / ".irvane-left.tif"
    left.write_bytes(b"half a picture")
    monkeypatch.setattr(atomic, "_JUST_MADE", 0.0)
    with atomic_file(folder / "other.tif") as being_written:
        being_written.write_bytes(b"somebody else's")
        with journal.running():
            journal.make_good()
        assert being_written.exists(), "what is being written stays"
    assert not left.exists()
    assert (folder / "other.tif").read_bytes() == b"somebody else's"


def test_a_just_made_file_is_not_taken_for_left_over(tmp_path: Path) -> None:
    (tmp_path / ".irvane-x.tif").touch()
    remove_stale(tmp_path)
    assert (tmp_path / ".irvane-x.tif").exists()
    old = time.time() - 10
    os.utime(tmp_path / ".irvane-x.tif", (old, old))
    remove_stale(tmp_path)
    assert not (tmp_path / ".irvane-x.tif").exists()


def test_libraries_lines_go_to_the_log(frame: Path) -> None:
    """tifffile warns of tags that it does not understand; the error stream holds our sentence alone."""
    data = bytearray(frame.read_bytes())
    data[200:260] = b"\xff" * 60
    frame.write_bytes(bytes(data))
    done = subprocess.run(
        [sys.executable, "-c", "import sys; sys.argv = ['irvane', 'check', sys.argv[1]]\nfrom irvane.cli import entry\nentry()", str(frame)],
        capture_output=True, text=True, check=False, timeout=60,
    )  # fmt: skip
    assert all(line.startswith("irvane: ") for line in done.stderr.splitlines()), done.stderr
    assert done.stdout.count(str(frame)) <= 1
