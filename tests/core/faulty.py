"""The queue under faults: every system call that it makes with files is ended by a kill, or fails, one by one.

strace injects them (its manual, section "tampering"); what is left behind is then run on without faults and must be whole.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import shots
import tifffile

from irvane.core.finish.destination import Destination
from irvane.core.finish.journal import DONE, FAILED, Journal, Wanted
from irvane.core.finish.queue import run_queue
from irvane.core.settings import Settings

PLAIN = Settings().with_values({"noise.amount": 0, "lens.aberration": "off", "sensor.demosaic": "linear"})
TIFF = Destination("t", "tiff", 16)
#: What changes files, but for mkdir, which the compiler's cache calls by the hundred.
CALLS = ("fsync", "renameat2", "rename", "unlink", "chmod", "flock", "sync_file_range", "write")
_CHILD = """
import sys
from pathlib import Path
from irvane.core.finish.journal import Journal
from irvane.core.finish.queue import run_queue
run_queue(Journal(Path(sys.argv[1])))
"""


def prepare(folder: Path, count: int = 2) -> Journal:
    """A queue of small frames."""
    journal, frames = Journal(folder / "queue.jsonl"), []
    for k in range(count):
        frames.append(folder / f"frame-{k}.dng")
        shots.dng(frames[-1], shots.photograph()[:120, :160], seed=k)
    journal.add([Wanted((path,), PLAIN, "") for path in frames], TIFF)
    return journal


def _strace(journal: Journal, *options: str) -> None:
    environment = {
        **os.environ,
        "PYTHONPATH": os.pathsep.join(sys.path),
        "XDG_STATE_HOME": str(journal.path.parent / "state"),
    }
    command = [sys.executable, "-c", _CHILD, str(journal.path)]
    subprocess.run(
        ["strace", "-f", "-qq", "-o", str(journal.path.parent / "trace"), *options, *command], env=environment,
        capture_output=True, timeout=120, check=False,
    )  # fmt: skip


def calls(folder: Path) -> dict[str, int]:
    """How often a run without faults makes each call."""
    journal = prepare(folder)
    _strace(journal, "-e", f"trace={','.join(CALLS)}")
    found = re.findall(r"^\d+ +(\w+)\(", (folder / "trace").read_text(), re.MULTILINE)
    return {name: found.count(name) for name in CALLS}


def with_fault(folder: Path, call: str, number: int, what: str) -> list[str]:
    """Run a queue whose `number`-th `call` suffers `what` (``signal=KILL``, ``error=EIO``), then run it on; what is wrong."""
    journal = prepare(folder)
    _strace(journal, "-e", f"trace={call}", "-e", f"inject={call}:{what}:when={number}")
    broken = [entry for entry in journal.entries() if entry.state == FAILED]
    wrong = [
        f"no one sentence: {entry.reason!r}" for entry in broken if not entry.reason or "\n" in entry.reason
    ]
    journal.retry([entry.id for entry in broken])
    run_queue(journal)
    written = [Path(entry.written) for entry in journal.entries() if entry.state == DONE]
    if len(written) != 2 or len(set(written)) != 2:
        wrong.append(f"states {[(e.state, e.reason) for e in journal.entries()]}")
    for path in written:
        with tifffile.TiffFile(path) as file:
            if file.asarray().shape != (120, 160, 3) or "Software" not in file.pages.first.tags:
                wrong.append(f"{path.name} is not whole")
    there = {path for path in (folder / "developed").iterdir() if not path.name.startswith(".")}
    if there != set(written):
        wrong.append(f"{sorted(p.name for p in there)} are there")
    return wrong
