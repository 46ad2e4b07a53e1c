"""Merging, as ``merge`` and ``panorama`` ask for it."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
    read_settings,
)
from irvane.core.errors import SettingError
from irvane.core.files.formats import format_called
from irvane.core.settings import Settings

if TYPE_CHECKING:
    from irvane.core.line.merge_options import MergeOptions, Pair


def taken(said: list[str]) -> tuple[tuple[float, float, float, str], ...]:
    """Places that are to come from one frame."""
    made = []
    for one in said:
        try:
            x, y, radius, name = one.split(",", 3)
            numbers = [float(v) / 100 for v in (x, y, radius)]
        except ValueError:
            raise UsageError(
                f"--take {one}: say X,Y,RADIUS,NAME in per cent, as 52,40,3,frame-2.dng"
            ) from None
        if not all(0 <= v <= 1 for v in numbers):
            raise UsageError(f"--take {one}: its numbers go from 0 to 100")
        made.append((numbers[0], numbers[1], numbers[2], name))
    return tuple(made)


def paired(said: list[str]) -> tuple[Pair, ...]:
    """Pairs of places of a panorama."""
    made: list[Pair] = []
    for one in said:
        try:
            first, ax, ay, second, bx, by = one.split(",")
            numbers = [float(v) / 100 for v in (ax, ay, bx, by)]
        except ValueError:
            raise UsageError(
                f"--point {one}: say NAME,X,Y,NAME,X,Y in per cent, as left.dng,82,40,right.dng,12,41"
            ) from None
        if not all(0 <= v <= 1 for v in numbers):
            raise UsageError(f"--point {one}: its numbers go from 0 to 100")
        made.append((first, numbers[0], numbers[1], second, numbers[2], numbers[3]))
    return tuple(made)


def merge(args: argparse.Namespace) -> int:
    from irvane.core.finish import job
    from irvane.core.line.merge_options import MERGE_START, MergeOptions, before_merging
    from irvane.core.line.merging import MergeSource

    base = Settings().with_values(MERGE_START) if args.kind in ("hdr", "panorama") else Settings()
    settings = read_settings(args, base)
    inputs, failed = expand(args.inputs)
    if len(inputs) < 2:
        raise UsageError("a merge needs at least two inputs")
    if not 0 <= args.ghosts <= 100:
        raise UsageError("--ghosts goes from 0 to 100")
    early = before_merging(settings)  # what acts on a frame before it is merged
    own = tuple((path.name, early) for path in inputs) if early else ()
    how = MergeOptions(
        args.kind, args.ghosts, args.reference, args.align == "auto", args.projection, args.crop,
        taken(args.take), own,
        paired(args.point),
    )  # fmt: skip
    if args.every:
        return all_sets(args, how, inputs, settings, failed)
    try:
        source = MergeSource(inputs, how)
    except SettingError as error:
        raise UsageError(str(error)) from error

    def work() -> None:
        target = job.to_file(args.out, settings.finish, args.overwrite)
        job.check_target(args.out, args.overwrite, tuple(inputs))
        for note in job.run(source, settings, target).notes:
            print(note, file=sys.stderr if note.startswith("Left out") else sys.stdout)
        print(f"-> {args.out}")

    return DONE if guarded(args.out, work) and not failed else SOME_FAILED


def all_sets(
    args: argparse.Namespace, how: MergeOptions, inputs: list[Path], settings: Settings, failed: bool
) -> int:
    """Every set by itself; one that fails does not stop the others."""
    from irvane.core.errors import WriteError
    from irvane.core.finish import job
    from irvane.core.judge.facts import sets_of
    from irvane.core.line.merging import MergeSource

    if how.reference or how.places:
        raise UsageError("--reference and --take name a frame of one set; they do not go with --sets")
    wanted = "burst" if args.kind == "mean" else "bracket"
    found = [one for one in sets_of(inputs) if one["kind"] == wanted]
    if not found:
        print(f"irvane: no {wanted} among these files", file=sys.stderr)
        return SOME_FAILED
    if args.out.suffix or args.out.is_file():
        raise UsageError(f"{args.out}: several sets need a folder")
    try:
        args.out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(args.out, f"the folder cannot be made ({error.strerror})") from error
    for one in found:
        paths = [Path(path) for path in one["frames"]]
        path = args.out / f"{paths[0].stem}-merged{format_called(settings.finish.format).endings[0]}"

        def work(paths: list[Path] = paths, path: Path = path) -> None:
            source = MergeSource(paths, how)
            target = job.to_file(path, settings.finish, args.overwrite)
            for note in job.run(source, settings, target).notes:
                print(f"{path.name}: {note}", file=sys.stderr if note.startswith("Left out") else sys.stdout)
            print(f"{', '.join(p.name for p in paths)} -> {path}", flush=True)

        failed |= not guarded(path, work)
    return SOME_FAILED if failed else DONE
