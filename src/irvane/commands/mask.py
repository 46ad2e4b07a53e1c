"""The command ``mask``: a mask as a picture."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from irvane.commands._inputs import DONE, SOME_FAILED, UsageError, guarded, read_settings, settings_options
from irvane.core.regions.region import KINDS, LocalRegion, Part
from irvane.core.settings import Settings

#: Numbers of the kinds that have usual ones.
_USUAL = {"focus": (0.9, 1.0), "tone": (-2.0, 1.0, 1.0), "hue": (0.0, 60.0, 20.0)}

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


#: Kinds of regions that are made by words alone.
_KINDS = tuple(kind for kind in KINDS if kind != "brush")


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    mask = commands.add_parser(
        "mask", help="write where a region is, as a grey picture on the grid of the output"
    )
    mask.add_argument("input", metavar="IN", type=Path)
    mask.add_argument("--kind", choices=_KINDS, help="what is chosen")
    mask.add_argument(
        "--numbers", default="", metavar="N,N…",
        help="tone: from,to,softness (EV around mid-grey); hue: degrees,width,softness; focus: "
             "sigma,softness (px); spot: x,y,radius,EV; "
        "linear: x,y,x,y; round: x,y,rx,ry,angle,softness (shares of the frame)",
    )  # fmt: skip
    mask.add_argument("--region", metavar="NAME", help="a region of the settings, by its name")
    mask.add_argument("--out", required=True, type=Path, metavar="MASK.png")
    mask.add_argument("--overwrite", action="store_true")
    settings_options(mask)


def _wanted(args: argparse.Namespace, settings: Settings) -> LocalRegion:
    if args.region is not None:
        found = next((one for one in settings.regions if one.name == args.region), None)
        if found is None:
            names = ", ".join(one.name for one in settings.regions) or "none"
            raise UsageError(f"the settings have no region “{args.region}”; there are: {names}")
        return found
    if args.kind is None:
        raise UsageError("say --kind, or --region with --settings")
    try:
        numbers = tuple(float(v) for v in args.numbers.split(",") if v.strip()) or _USUAL.get(args.kind, ())
    except ValueError:
        raise UsageError(f"--numbers {args.numbers}: these are no numbers") from None
    if len(numbers) != KINDS[args.kind][1]:
        raise UsageError(f"--kind {args.kind} takes {KINDS[args.kind][1]} numbers")
    return LocalRegion(args.kind, (Part(args.kind, numbers),))


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.finish import job
    from irvane.core.finish.masks import mask_picture, write_mask
    from irvane.core.line.realise import developed_only
    from irvane.core.line.source import FileSource

    settings = read_settings(args, Settings())
    region = _wanted(args, settings)
    if args.out.suffix.lower() != ".png":
        raise UsageError("a mask is written as .png")

    def work() -> None:
        job.check_target(args.out, args.overwrite, (args.input,))
        developed, context = developed_only(FileSource(args.input).load(), settings)
        mask, words = mask_picture(region, developed, settings, context)
        write_mask(args.out, mask, args.overwrite)
        for sentence in words:
            print(sentence, file=sys.stderr)
        print(f"-> {args.out}")

    return DONE if guarded(args.out, work) else SOME_FAILED
