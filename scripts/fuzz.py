"""Damaged files by the thousand: each must be read, or refused with one of the project's own sentences.

Run with ``python scripts/fuzz.py [--count 10000] [--seed 1] [--others FOLDER]``. Files of a megapixel of every kind (and
those of a folder: they are tried as they are, too) are changed byte by byte, in blocks, and cut off, each change by its
own seed; in other processes they are told of, previewed, read, loaded, and their metadata are copied. What counts as a
fault: another exception, a crash, more than 20 s, more than 2 GB. The exit code is 1 when there was one.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

SECONDS, BYTES = 20.0, 2_000_000_000
BATCH = 250


def originals(folder: Path) -> list[Path]:
    """One file of every kind, about a megapixel each."""
    import cv2
    import imagecodecs
    import numpy as np

    from irvane.core.files.dng import DngColour, write_dng
    from irvane.core.files.info import FrameInfo
    from irvane.core.files.presets import save_preset
    from irvane.core.files.proofs import Sidecar
    from irvane.core.files.sidecar import save_sidecar
    from irvane.core.files.writers import write_exr, write_jpeg, write_tiff
    from irvane.core.image import BAYER, SIX_BY_SIX
    from irvane.core.settings import Settings
    from irvane.core.simulate.camera import Body, expose, quiet

    rng = np.random.default_rng(0)
    light = cv2.GaussianBlur(rng.random((828, 1212, 3)).astype(np.float32), (0, 0), 3)
    made = []
    neutral = np.array([0.5, 1.0, 0.7])
    for name, cfa in (("bayer", BAYER), ("six", SIX_BY_SIX)):
        body = quiet(Body("Fuzz", cfa=cfa))
        counts = expose(light, body, iso=800, exposure=1.0, neutral=neutral, rng=rng)
        thumb = cv2.imencode(".jpg", np.full((64, 96, 3), 90, np.uint8))[1].tobytes()
        path = folder / f"{name}.dng"
        write_dng(
            path, counts, cfa, black=body.black, white=body.white,
            colour=DngColour(body.matrix_a, body.matrix_d65, neutral), info=FrameInfo(shutter=0.01, iso=800.0),
            noise_profile=body.noise_profile(800), preview_jpeg=thumb, preview_shape=(64, 96),
        )  # fmt: skip
        made.append(path)
    for name, pixels in (
        ("eight.tif", np.rint(light * 255).astype(np.uint8)), ("sixteen.tif", np.rint(light * 65535).astype(np.uint16)),
        ("float.tif", light),
    ):  # fmt: skip
        write_tiff(folder / name, pixels, space="srgb")
        made.append(folder / name)
    write_jpeg(folder / "a.jpg", np.rint(light * 255).astype(np.uint8), space="srgb", quality=90)
    write_exr(folder / "a.exr", light, space="rec2020")
    (folder / "a.png").write_bytes(imagecodecs.png_encode(np.rint(light * 65535).astype(np.uint16)))
    sidecar = save_sidecar(Sidecar(), folder / "bayer.dng", "").path
    preset = save_preset(folder, "one", Settings(), ["light"]).path
    assert preset is not None
    return [*made, folder / "a.jpg", folder / "a.exr", folder / "a.png", sidecar, preset]


def mutated(content: bytes, seed: int) -> bytes:
    """The same file damaged: bytes changed (most often near its beginning), a block overwritten, or cut off."""
    import numpy as np

    rng = np.random.default_rng(seed)
    data = bytearray(content)
    kind = rng.integers(10)
    near = min(len(data), 4096) if rng.random() < 0.7 else len(data)
    if kind < 7:
        for _ in range(int(rng.integers(1, 9))):
            data[int(rng.integers(near))] = int(rng.choice([0, 1, 127, 128, 255, int(rng.integers(256))]))
    elif kind < 9:
        at, size = int(rng.integers(near)), int(rng.integers(1, 64))
        data[at : at + size] = rng.bytes(size)
    else:
        del data[int(rng.integers(len(data))) :]
    return bytes(data)


def attempt(path: Path) -> str:
    """Everything that is done to a file when it is opened; returns a fault, or nothing."""
    import numpy as np

    from irvane.core.errors import IrvaneError
    from irvane.core.files.carrying import Form, copy_metadata
    from irvane.core.files.header import header_facts
    from irvane.core.files.info import read_info
    from irvane.core.files.presets import ENDING as PRESET
    from irvane.core.files.presets import read_preset
    from irvane.core.files.sidecar import ENDING, read_proofs
    from irvane.core.files.thumbnails import preview
    from irvane.core.files.writers import write_jpeg
    from irvane.core.line.source import FileSource

    def told(p: Path) -> None:
        json.dumps(header_facts(p)).encode("utf-8")

    def passed_on(p: Path) -> None:
        target = p.with_name(f"{p.name}-target.jpg")
        write_jpeg(target, np.zeros((64, 64, 3), np.uint8), space="srgb", quality=90, overwrite=True)
        copy_metadata(p, target, "Irvane", "none", Form(64, 64, True, True))

    steps: list[Callable[[Path], object]] = [
        read_info,
        told,
        lambda p: preview(p, 1280),
        lambda p: FileSource(p).load(),
        passed_on,
    ]
    if path.name.endswith(ENDING):
        steps = [read_proofs]
    elif path.name.endswith(PRESET):
        steps = [read_preset]
    for step in steps:
        began = time.monotonic()
        try:
            step(path)
        except IrvaneError:
            pass
        except Exception as error:
            return f"{type(error).__name__}: {str(error)[:200]}"
        if time.monotonic() - began > SECONDS:
            return f"took {time.monotonic() - began:.0f} s"
    return ""


def work(folder: Path, first: int, last: int) -> int:
    """Try some mutants in this process; a line of JSON for each fault, and the seed in hand on disk for a crash."""
    files = [Path(line) for line in (folder / "files.txt").read_text("utf-8").splitlines()]
    contents = [path.read_bytes() for path in files]
    note = folder / f"now-{first}"
    for seed in range(first, last):
        which = seed % len(files)
        ending = "".join(files[which].suffixes[-3:])
        trial = folder / f"trial-{first}{ending}"
        # seeds below the number of files: each as it is
        trial.write_bytes(contents[which] if seed < len(files) else mutated(contents[which], seed))
        note.write_text(str(seed), "ascii")
        fault = attempt(trial)
        used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
        if used > BYTES:
            fault = fault or f"took {used / 1e9:.1f} GB"
        if fault:
            print(json.dumps({"seed": seed, "file": files[which].name, "fault": fault}), flush=True)
        if used > BYTES:
            return seed + 1
    return last


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=0, help="the first one")
    parser.add_argument("--others", type=Path, help="a folder of files that others made, tried too")
    parser.add_argument("--work", nargs=3, metavar=("FOLDER", "FIRST", "LAST"), help=argparse.SUPPRESS)
    args = parser.parse_args()
    if args.work:
        reached = work(Path(args.work[0]), int(args.work[1]), int(args.work[2]))
        print(json.dumps({"reached": reached}), flush=True)
        os._exit(0)  # decoders' threads do not matter any more
    faults = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        files = originals(folder)
        if args.others:
            files += sorted(path.absolute() for path in args.others.iterdir() if path.is_file())
        (folder / "files.txt").write_text("\n".join(map(str, files)), "utf-8")
        first, end = args.seed, args.seed + args.count
        while first < end:
            last = min(end, first + BATCH)
            command = [sys.executable, __file__, "--work", str(folder), str(first), str(last)]
            try:
                done = subprocess.run(
                    command, capture_output=True, text=True, timeout=60 + BATCH * 3, check=False
                )
                output, code = done.stdout, str(done.returncode)
            except subprocess.TimeoutExpired as error:
                output, code = (error.stdout or b"").decode(), "no end"
            lines = []
            for line in output.splitlines():
                with contextlib.suppress(ValueError):
                    lines.append(json.loads(line))
            faults += [line for line in lines if "fault" in line]
            told = next((line["reached"] for line in lines if "reached" in line), None)
            if told is None:
                seed = int((folder / f"now-{first}").read_text("ascii"))
                faults.append({"seed": seed, "fault": f"crashed ({code})"})
                told = seed + 1
            first = int(told)
            print(f"\r  {first - args.seed} of {args.count}, {len(faults)} faults", end="", file=sys.stderr)
    print(file=sys.stderr)
    for fault in faults:
        print(json.dumps(fault))
    print(f"{args.count - len(faults)} passed, {len(faults)} failed")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
