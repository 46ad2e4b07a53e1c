"""The command ``panorama``: stitch positions."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    settings_options,
)
from irvane.commands._merging import merge

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
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
        help="the same place in two positions (per cent of width and height), where they have little in "
        "common; several may be said",
    )
    panorama.set_defaults(kind="panorama", every=False, ghosts=50.0, reference="", align="auto", take=[])
    settings_options(panorama)


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    return merge(args)
