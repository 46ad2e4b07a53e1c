"""Merging on the command line: merges of every kind, the sets of a folder, planning a bracket."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane.commands import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
    read_settings,
    settings_options,
)
from irvane.core.errors import SettingError
from irvane.core.settings import Settings

if TYPE_CHECKING:
    from irvane.core.line.how import How, Pair

_KINDS = ("hdr", "fusion", "join", "mean")


def add_parsers(commands: Any) -> None:
    """Add the commands."""
    merge = commands.add_parser("merge", help="merge frames of one scene")
    merge.add_argument("kind", choices=_KINDS)
    merge.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    merge.add_argument("--out", required=True, type=Path, metavar="FILE")
    merge.add_argument("--overwrite", action="store_true")
    merge.add_argument(
        "--sets",
        dest="every",
        action="store_true",
        help="every bracket (for mean: burst) among the inputs by itself, into a folder",
    )
    merge.add_argument(
        "--ghosts", type=float, default=50.0, metavar="0-100", help="search for what moved; 0: none"
    )
    merge.add_argument(
        "--reference", default="", metavar="NAME", help="the frame whose place and movers are kept"
    )
    merge.add_argument("--align", choices=("auto", "off"), default="auto")
    merge.add_argument(
        "--take",
        action="append",
        default=[],
        metavar="X,Y,RADIUS,NAME",
        help="this place (per cent of width and height; radius in per cent of the width) from that frame; several may be said",
    )
    merge.set_defaults(projection="auto", crop="fill", point=[])
    settings_options(merge)
    panorama = commands.add_parser("panorama", help="stitch positions, which may be brackets")
    panorama.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    panorama.add_argument("--out", required=True, type=Path, metavar="FILE")
    panorama.add_argument("--overwrite", action="store_true")
    panorama.add_argument(
        "--projection", choices=("auto", "planar", "cylindrical", "spherical", "rectilinear"), default="auto"
    )
    panorama.add_argument("--crop", choices=("fill", "keep"), default="fill")
    panorama.add_argument(
        "--point",
        action="append",
        default=[],
        metavar="NAME,X,Y,NAME,X,Y",
        help="the same place in two positions (per cent of width and height), where they have little in common; several may be said",
    )
    panorama.set_defaults(kind="panorama", every=False, ghosts=50.0, reference="", align="auto", take=[])
    settings_options(panorama)
    sets = commands.add_parser("sets", help="which files belong together")
    sets.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    sets.add_argument("--json", action="store_true")
    plan = commands.add_parser("plan", help="plan a bracket: shutter times, which are safe by hand")
    plan.add_argument("--shutter", required=True, metavar="1/250", help="the metered exposure")
    plan.add_argument("--step", type=float, default=2.0, metavar="EV")
    plan.add_argument("--frames", type=int, default=3)
    plan.add_argument("--focal", type=float, default=35.0, metavar="MM", help="as on 36 × 24 mm")
    plan.add_argument("--stabiliser", type=float, default=0.0, metavar="STOPS")
    plan.add_argument(
        "--range",
        type=float,
        default=None,
        metavar="EV",
        help="of the scene, to say how many frames it needs",
    )
    plan.add_argument("--json", action="store_true")


def _taken(said: list[str]) -> tuple[tuple[float, float, float, str], ...]:
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


def _paired(said: list[str]) -> tuple[Pair, ...]:
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


def _merge(args: argparse.Namespace) -> int:
    from irvane.core.finish import job
    from irvane.core.line.how import MERGE_START, How, before_merging
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
    how = How(
        args.kind, args.ghosts, args.reference, args.align == "auto", args.projection, args.crop, _taken(args.take), own,
        _paired(args.point),
    )  # fmt: skip
    if args.every:
        return _all_sets(args, how, inputs, settings, failed)
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


def _all_sets(
    args: argparse.Namespace, how: How, inputs: list[Path], settings: Settings, failed: bool
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
        path = args.out / f"{paths[0].stem}-merged{job.ENDINGS[settings.finish.format]}"

        def work(paths: list[Path] = paths, path: Path = path) -> None:
            source = MergeSource(paths, how)
            target = job.to_file(path, settings.finish, args.overwrite)
            for note in job.run(source, settings, target).notes:
                print(f"{path.name}: {note}", file=sys.stderr if note.startswith("Left out") else sys.stdout)
            print(f"{', '.join(p.name for p in paths)} -> {path}", flush=True)

        failed |= not guarded(path, work)
    return SOME_FAILED if failed else DONE


def _sets(args: argparse.Namespace) -> int:
    from irvane.core.judge.facts import sets_of

    inputs, failed = expand(args.inputs)
    found = sets_of(inputs)
    if args.json:
        print(json.dumps(found, indent=1, ensure_ascii=False))
    else:
        for one in found:
            steps = ", ".join(f"{offset:+g} EV" for offset in one["offsets"])
            print(f"{one['kind']}: {', '.join(one['frames'])}{f' ({steps})' if steps else ''}")
        if not found:
            print("No frames that belong together.")
    return SOME_FAILED if failed else DONE


def _plan(args: argparse.Namespace) -> int:
    from irvane.core.merge.planning import plan_bracket, seconds_of

    try:
        made = plan_bracket(
            seconds_of(args.shutter), args.step, args.frames, args.focal, args.stabiliser, args.range
        )
    except SettingError as error:
        raise UsageError(str(error)) from error
    if args.json:
        print(json.dumps(made.as_dict(), indent=1, ensure_ascii=False))
    else:
        print(made.words())
    return DONE


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "merge": _merge,
    "panorama": _merge,
    "sets": _sets,
    "plan": _plan,
}
