"""Kill the queue at random moments, again and again; every output must be whole, and there once.

    python scripts/kills.py [--count 1000]

Frames of one megapixel, a fresh process for every run; a line per hundred kills, and what was wrong at the end.
"""

from __future__ import annotations

import argparse
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import tifffile

from irvane.core.finish.destination import Destination
from irvane.core.finish.journal import DONE, Journal, Wanted
from irvane.core.finish.queue import run_queue
from irvane.core.settings import Settings
from irvane.core.simulate.demo import make_frame

_CHILD = """
import sys
from pathlib import Path
from irvane.core.finish.journal import Journal, Wanted
from irvane.core.finish.queue import run_queue
print("ready", flush=True)
run_queue(Journal(Path(sys.argv[1])), lambda entry: print(entry.id, flush=True))
"""
_SETTINGS = Settings().with_values({"noise.amount": 0, "lens.aberration": "off", "sensor.demosaic": "linear"})
#: Files of a batch; seconds after which a kill comes at the latest.
_BATCH, _LONGEST = 60, 0.6


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=1000)
    wanted = parser.parse_args().count
    wrong: list[str] = []
    rng, kills, batches = random.Random(1), 0, 0
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as name:
        frame = Path(name) / "frame.dng"
        make_frame(frame, 1, iso=400)
        while kills < wanted:
            batches += 1
            folder = Path(name) / f"batch-{batches}"
            folder.mkdir()
            frames = []
            for k in range(_BATCH):
                frames.append(folder / f"frame-{k}.dng")
                frames[-1].hardlink_to(frame)
            journal = Journal(folder / "queue.jsonl")
            journal.add([Wanted((path,), _SETTINGS, "") for path in frames], Destination("t", "tiff", 16))
            while kills < wanted and any(not e.over for e in journal.entries()):
                child = subprocess.Popen(
                    [sys.executable, "-c", _CHILD, str(journal.path)], stdout=subprocess.PIPE
                )
                assert child.stdout is not None
                # some moments after it is ready, or after its first or second file: that is when it writes
                for _ in range(rng.randint(1, 3)):
                    child.stdout.readline()
                try:
                    child.wait(timeout=_LONGEST * rng.random())
                except subprocess.TimeoutExpired:
                    child.send_signal(signal.SIGKILL)
                    child.wait()
                    kills += 1
                    if kills % 100 == 0:
                        print(
                            f"{kills} kills, {time.monotonic() - began:.0f} s, {len(wrong)} wrong", flush=True
                        )
            run_queue(journal)
            wrong += _faults(folder, journal)
    print(f"{kills} kills in {batches} batches of {_BATCH}: {wrong or 'every file whole and there once'}")
    sys.exit(1 if wrong else 0)


def _faults(folder: Path, journal: Journal) -> list[str]:
    found, written = [], []
    for entry in journal.entries():
        if entry.state != DONE:
            found.append(f"{entry.paths[0]} is {entry.state}: {entry.reason}")
            continue
        written.append(Path(entry.written))
        try:
            tifffile.imread(written[-1])
        except Exception as error:
            found.append(f"{written[-1]}: {error}")
    there = {p for p in (folder / "developed").iterdir() if p.suffix == ".tif" and p.name.startswith("frame")}
    if there != set(written) or len(written) != len(set(written)):
        found.append(f"{folder}: {len(there)} files, {len(set(written))} noted")
    return found


if __name__ == "__main__":
    main()
