"""The queue: are size and time told rightly beforehand, and what does it cost beside single commands?

    python benchmarks/batch.py [--large]

Twenty mixed frames, estimated after as many others were written; with --large, raws of 24 MP by the best method, one after the
other as single commands and from the queue. Run on an idle machine; a home of its own.
"""

from __future__ import annotations

import os
import random
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

_HOME = Path(tempfile.mkdtemp(prefix="irvane-queue-"))
os.environ.setdefault("IRVANE_KERNELS", str(Path.home() / ".cache" / "irvane" / "kernels"))
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
    os.environ[_name] = str(_HOME / _name)

from irvane.core.finish.destination import Destination  # noqa: E402
from irvane.core.finish.estimates import estimated  # noqa: E402
from irvane.core.finish.journal import Journal, Wanted  # noqa: E402, Wanted
from irvane.core.finish.queue import run_queue  # noqa: E402
from irvane.core.settings import Settings  # noqa: E402
from irvane.core.simulate.demo import make_demo, make_frame  # noqa: E402

_LARGE = 5


def mixed(folder: Path) -> list[Path]:
    """Twenty frames of several scenes, sizes and sensitivities."""
    make_demo(folder / "a", seed=1, small=True)
    made = [p for p in sorted((folder / "a").glob("*.dng"))]
    made += [p for p in sorted((folder / "a" / "ladder").glob("*.dng"))[:6]]
    rng = random.Random(3)
    for k in range(20 - len(made)):
        path = folder / f"frame-{k}.dng"
        make_frame(path, rng.choice((3, 6, 12)), iso=rng.choice((100, 800, 6400)), seed=k)
        made.append(path)
    return made


def estimates() -> None:
    frames = mixed(_HOME)
    for how in (Destination("web", "jpeg", 8, folder="w"), Destination("keep", "tiff", 16, True, folder="k")):
        journal = Journal(_HOME / f"{how.name}.jsonl")
        settings = Settings().with_value("noise.method", "fast")
        rng = random.Random(1)
        first = [rng.choice(frames) for _ in range(12)]
        journal.add([Wanted((path,), settings, "") for path in first], how)
        run_queue(journal)
        entries = journal.add([Wanted((path,), settings, "") for path in frames], how)
        told = estimated(entries)
        began = time.monotonic()
        run_queue(journal)
        seconds = time.monotonic() - began
        written = {e.id: e for e in journal.entries()}
        size = sum(Path(written[e.id].written).stat().st_size for e in entries)
        print(
            f"{how.words()}: size told / found {told.size / size:.2f}, time told / found {told.seconds / seconds:.2f} "
            f"({size / 1e6:.0f} MB, {seconds:.0f} s)"
        )


def large() -> None:
    frames = []
    for k in range(_LARGE):
        path = _HOME / f"large-{k}.dng"
        make_frame(path, 24, iso=12800, seed=k)
        frames.append(path)
    program = str(Path(sys.executable).parent / "irvane")
    single = []
    for path in frames:
        began = time.monotonic()
        subprocess.run(
            [program, "develop", str(path), "--to", "archive", "--into", str(_HOME / "single")],
            check=True,
            capture_output=True,
        )
        single.append(time.monotonic() - began)
    subprocess.run(
        [program, "queue", "add", *map(str, frames), "--to", "archive"], check=True, capture_output=True
    )
    began = time.monotonic()
    subprocess.run([program, "queue", "run"], check=True, capture_output=True)
    each = (time.monotonic() - began) / len(frames)
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
    alone = sum(single) / len(single)
    print(
        f"{_LARGE} raws of 24 MP, best, a frame: single command {alone:.1f} s, queue {each:.1f} s: {each / alone:.2f} (≤ 1.05)"
    )
    print(f"largest memory of these processes: {peak:.2f} GB (≤ 2.5)")


if __name__ == "__main__":
    large() if "--large" in sys.argv else estimates()
