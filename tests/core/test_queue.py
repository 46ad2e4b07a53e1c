"""The queue: its journal survives a kill at any moment, and every file is written whole and once."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import faulty
import pytest
import shots
from faulty import PLAIN, TIFF

from irvane.core.errors import Cancelled
from irvane.core.finish import journal as journals
from irvane.core.finish import queue as queueing
from irvane.core.finish.estimates import estimated, paces_path
from irvane.core.finish.journal import CANCELLED, DONE, FAILED, SKIPPED, WAITING, Journal, Wanted, digest
from irvane.core.finish.queue import run_queue, target_of, write_entry
from irvane.core.line.source import FileSource


def _frames(folder: Path, count: int) -> list[Path]:
    made = []
    for k in range(count):
        path = folder / f"frame-{k}.dng"
        shots.dng(path, shots.photograph()[:120, :160], seed=k)
        made.append(path)
    return made


def test_everything_is_written_once_and_failures_are_told(tmp_path: Path) -> None:
    frames = _frames(tmp_path, 2)
    (tmp_path / "bad.dng").write_bytes(b"junk")
    journal = Journal(tmp_path / "queue.jsonl")
    journal.add([Wanted((p,), PLAIN, "") for p in (frames[0], tmp_path / "bad.dng", frames[1])], TIFF)
    assert run_queue(journal) == (2, 1)
    states = [(e.state, Path(e.written).name, bool(e.reason)) for e in journal.entries()]
    assert states == [(DONE, "frame-0.tif", False), (FAILED, "", True), (DONE, "frame-1.tif", False)]
    assert run_queue(journal) == (0, 0)
    assert sorted(p.name for p in (tmp_path / "developed").iterdir()) == ["frame-0.tif", "frame-1.tif"]
    assert journal.retry() == 1 and journal.entries()[1].state == WAITING


def test_order_cancelling_skipping_and_names(tmp_path: Path) -> None:
    frames = _frames(tmp_path, 3)
    journal = Journal(tmp_path / "queue.jsonl")
    ids = [
        e.id for e in journal.add([Wanted((p,), PLAIN, "") for p in frames], replace(TIFF, existing="skip"))
    ]
    journal.put_in_order([ids[2], ids[0]])
    assert [e.id for e in journal.entries()] == [ids[2], ids[0], ids[1]]
    assert journal.cancel([ids[0]]) == 1
    run_queue(journal)
    assert {e.id: e.state for e in journal.entries()} == {ids[2]: DONE, ids[0]: CANCELLED, ids[1]: DONE}
    journal.add([Wanted((frames[1],), PLAIN, "")], replace(TIFF, existing="skip"))
    run_queue(journal)
    assert journal.entries()[-1].state == SKIPPED
    source = FileSource(frames[1])
    assert target_of(source, TIFF, "", 1) == tmp_path / "developed" / "frame-1-2.tif"
    assert target_of(source, TIFF, "soft", 1) == tmp_path / "developed" / "frame-1-soft.tif"
    journal.remove([e.id for e in journal.entries() if e.over])
    assert journal.entries() == []


def test_a_cut_off_or_foreign_line_is_passed_over(tmp_path: Path) -> None:
    frames = _frames(tmp_path, 1)
    journal = Journal(tmp_path / "queue.jsonl")
    journal.add([Wanted((frames[0],), PLAIN, "")], TIFF)
    with journal.path.open("ab") as stream:
        stream.write(b'{"kind": "state", "id": "' + b"x" * 40)
    journal.add([Wanted((frames[0],), PLAIN, "two")], TIFF)
    with journal.path.open("ab") as stream:
        stream.write(b"\n[1, 2]\nnull\n{}\n")
    assert [e.proof for e in journal.entries()] == ["", "two"]


def test_a_file_whose_rename_was_interrupted_is_not_made_again(tmp_path: Path) -> None:
    frames = _frames(tmp_path, 2)
    journal = Journal(tmp_path / "queue.jsonl")
    one, two = journal.add([Wanted((p,), PLAIN, "") for p in frames], TIFF)
    folder = tmp_path / "developed"
    folder.mkdir()
    # the first was whole but had no name yet, the second had its name and nobody noted it
    waiting, there = folder / ".part", folder / "frame-1.tif"
    waiting.write_bytes(b"whole one")
    there.write_bytes(b"whole two")
    for entry, temporary, target in ((one, waiting, folder / "frame-0.tif"), (two, folder / ".gone", there)):
        journal.tell(entry, "running")
        told = {"kind": "intent", "id": entry.id, "temporary": str(temporary), "target": str(target),
                "digest": digest(waiting if entry is one else there)}  # fmt: skip
        with journal.path.open("a") as stream:
            stream.write(json.dumps(told) + "\n")
    with journal.running() as mine:
        assert mine
        journal.make_good()
    assert [e.state for e in journal.entries()] == [DONE, DONE]
    assert (folder / "frame-0.tif").read_bytes() == b"whole one" and not waiting.exists()


def test_only_what_was_appended_is_read_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "queue.jsonl"
    followed, other = Journal(path), Journal(path)
    frames = [tmp_path / f"frame-{k}.dng" for k in range(40)]
    parsed: list[bytes] = []
    monkeypatch.setattr(
        journals, "_parsed", lambda line, own=journals._parsed: parsed.append(line) or own(line)
    )
    assert followed.entries() == []
    entries = other.add([Wanted((frame,), PLAIN, "") for frame in frames], TIFF)
    assert followed.entries() == entries
    parsed.clear()
    other.tell(entries[3], DONE, written="a", seconds=2.0)
    other.put_in_order([entries[7].id])
    assert followed.entries() == Journal(path).entries()
    assert sum(bool(line) for line in parsed) == 2 + 42, "two by the one that follows, all by the new one"
    # a crash leaves half a line; what is appended after it counts, and the half is passed over
    with path.open("ab") as stream:
        stream.write(b'{"kind": "removed", "id": "')
    assert followed.entries() == Journal(path).entries()
    other.remove([entries[0].id])
    assert followed.entries() == Journal(path).entries() and len(followed.entries()) == 39
    # a line without its end is taken once it can be understood
    with path.open("ab") as stream:
        stream.write(json.dumps({"kind": "removed", "id": entries[1].id}).encode())
    assert len(followed.entries()) == len(followed.entries()) == 38
    other.remove([entries[2].id])
    assert followed.entries() == Journal(path).entries() and len(followed.entries()) == 37
    path.write_bytes(path.read_bytes()[:300])
    assert followed.entries() == Journal(path).entries() == []
    path.unlink()
    other.add([Wanted((frames[0],), PLAIN, "")], TIFF)
    assert followed.entries() == Journal(path).entries() and len(followed.entries()) == 1


def test_one_at_a_time_runs_the_queue(tmp_path: Path) -> None:
    journal = Journal(tmp_path / "queue.jsonl")
    with journal.running() as first, Journal(journal.path).running() as second:
        assert first and not second


def test_cancelled_work_waits_again_and_a_full_disk_is_one_failure(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    frames = _frames(tmp_path, 1)
    journal = Journal(tmp_path / "queue.jsonl")
    (entry,) = journal.add([Wanted((frames[0],), PLAIN, "")], TIFF)
    with pytest.raises(Cancelled):
        write_entry(journal, entry, lambda _share: False)
    assert journal.entries()[0].state == WAITING

    def full(*_given: object, **_more: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(queueing.job, "run", full)
    made = write_entry(journal, entry)
    assert made.state == FAILED and "No space left" in made.reason


@pytest.mark.parametrize(
    ("call", "number", "what"),
    [("fsync", 2, "signal=KILL"), ("fsync", 3, "signal=KILL"), ("renameat2", 1, "signal=KILL"), ("unlink", 5, "signal=KILL"),
     ("chmod", 1, "signal=KILL"), ("fsync", 1, "error=ENOSPC"), ("fsync", 2, "error=EIO"), ("renameat2", 2, "error=EIO"),
     ("write", 10, "error=ENOSPC"), ("unlink", 3, "error=EIO")],
)  # fmt: skip
def test_a_fault_at_any_system_call_leaves_every_file_whole_and_once(
    call: str, number: int, what: str, tmp_path: Path
) -> None:
    """Ten of them here; all by ``scripts/faults.py``, a thousand kills at random moments by ``scripts/kills.py``."""
    assert faulty.with_fault(tmp_path, call, number, what) == []


def test_size_and_time_are_told_beforehand(tmp_path: Path) -> None:
    frames = _frames(tmp_path, 4)
    journal = Journal(tmp_path / "queue.jsonl")
    plain = journal.add([Wanted((p,), PLAIN, "") for p in frames], TIFF)
    told = estimated(plain)
    assert (told.count, told.sized) == (4, 4), "TIFF without compression needs no experience"
    jpeg = replace(TIFF, name="j", format="jpeg", depth=8, quality=83.0)
    unknown = journal.add([Wanted((p,), PLAIN, "") for p in frames], jpeg)
    assert estimated(unknown).sized == 0 and estimated(unknown).words() == ""
    for entry in (*plain, *unknown[:2]):
        write_entry(journal, entry)
    done = {e.id: e for e in journal.entries()}
    written = sum(Path(done[e.id].written).stat().st_size for e in plain)
    assert told.size == pytest.approx(written, rel=0.2), "profile and metadata are small even in small files"
    told = estimated(unknown[2:])
    assert (told.sized, told.timed) == (2, 2) and told.seconds > 0 and "MB" in told.words()
    for entry in unknown[2:]:
        write_entry(journal, entry)
    done = {e.id: e for e in journal.entries()}
    assert told.size == pytest.approx(
        sum(Path(done[e.id].written).stat().st_size for e in unknown[2:]), rel=0.2
    )
    paces_path().write_text("damaged")
    assert estimated(unknown).sized == 0
    gone = replace(unknown[0], paths=(str(tmp_path / "gone.dng"),))
    assert estimated([gone]).sized == 0
