"""Choosing and writing on the command line: marks, destinations, the queue."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from irvane.commands import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
    read_settings,
    say,
    settings_options,
)
from irvane.core.errors import IrvaneError, SettingError
from irvane.core.files.proofs import KEEP, MOST_STARS, REJECT, Sidecar
from irvane.core.settings import Settings


def add_parsers(commands: Any) -> None:
    """The commands ``queue`` and ``destinations``."""
    queue = commands.add_parser("queue", help="write many frames, one after the other; survives a crash")
    steps = queue.add_subparsers(dest="step", required=True)
    add = steps.add_parser("add", help="put frames into the queue")
    add.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    to_options(add)
    add.add_argument(
        "--proofs",
        action="store_true",
        help="all proofs kept beside the frames, instead of settings given here",
    )
    add.add_argument("--run", action="store_true", help="and write at once what waits")
    settings_options(add)
    shown = steps.add_parser("list", help="what waits, and what came of the rest")
    shown.add_argument("--json", action="store_true")
    steps.add_parser("run", help="write what waits")
    for name, words in (
        ("cancel", "do not write what waits"), ("retry", "put what failed or was cancelled back"), ("clear", "forget what is over"),
    ):  # fmt: skip
        step = steps.add_parser(name, help=words)
        step.add_argument(
            "ids",
            nargs="*",
            metavar="ID",
            help="as `list --json` tells them, or their beginnings; all without",
        )
    marks = commands.add_parser("mark", help="keep, reject, give stars: kept in the frame's sidecar")
    marks.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    which = marks.add_mutually_exclusive_group()
    for mark, words in ((KEEP, "keep it"), (REJECT, "reject it; the file stays")):
        which.add_argument(f"--{mark}", dest="mark", action="store_const", const=mark, help=words)
    which.add_argument(
        "--clear", dest="mark", action="store_const", const="", help="neither kept nor rejected"
    )
    marks.add_argument("--stars", type=int, choices=range(MOST_STARS + 1), metavar=f"0-{MOST_STARS}")
    marks.add_argument(
        "--xmp", action="store_true", help="as XMP rating beside the frame, too, for other programs"
    )
    card = commands.add_parser("copy", help="copy a card: verified, renamed, nothing deleted")
    card.add_argument("card", metavar="CARD", type=Path)
    card.add_argument("--to", required=True, metavar="DIR", type=Path, dest="folder")
    card.add_argument("--names", default="{date}/{name}", metavar="PATTERN", help="a slash makes folders")
    card.add_argument("--json", action="store_true")
    kinds = commands.add_parser("destinations", help="named ways to write")
    kinds.add_argument("--json", action="store_true")


def to_options(parser: argparse.ArgumentParser) -> None:
    """Where to, by name, and what of it is meant otherwise this time."""
    parser.add_argument(
        "--to",
        metavar="NAME",
        action="append",
        default=None,
        help="a destination (see `irvane destinations`); several: each frame is written to each",
    )
    parser.add_argument(
        "--into", metavar="DIR", type=Path, default=None, help="this folder instead of the destination's"
    )


def destinations_of(args: argparse.Namespace) -> list[Any]:
    """The destinations that the options name; those chosen last in the window, or the first there is, without a name."""
    from irvane.core.finish.destination import chosen, named

    try:
        hows = [named(name) for name in dict.fromkeys(args.to)] if args.to is not None else chosen()
    except SettingError as error:
        raise UsageError(str(error)) from error
    return hows if args.into is None else [replace(how, folder=str(args.into.absolute())) for how in hows]


def _add(args: argparse.Namespace) -> int:
    from irvane.core.files.identity import content_hash
    from irvane.core.files.sidecar import load_sidecar
    from irvane.core.finish.expected import expected
    from irvane.core.finish.journal import Journal, Wanted

    hows, settings = destinations_of(args), read_settings(args, Settings())
    inputs, failed = expand(args.inputs)
    wanted: list[Wanted] = []
    for path in inputs:

        def one(path: Path = path) -> None:
            key = content_hash(path)
            sidecar = load_sidecar(path, key) if args.proofs else None
            if sidecar is None:
                wanted.append(Wanted((path,), settings))
                return
            several = len(sidecar.proofs) > 1
            wanted.extend(
                Wanted((path,), proof.settings, proof.name if several else "") for proof in sidecar.proofs
            )

        failed |= not guarded(path, one)
    if wanted:
        journal = Journal()
        for how in hows:
            try:
                added = journal.add(wanted, how)
            except IrvaneError as error:
                say(error)
                return SOME_FAILED
            told = expected(added).words()
            print(f"{len(wanted)} in the queue for “{how.name}” ({how.words()}){f': {told}' if told else ''}")
    if args.run and wanted:
        return max(_run(args), SOME_FAILED if failed else DONE)
    return SOME_FAILED if failed else DONE


def _list(args: argparse.Namespace) -> int:
    from irvane.core.finish.journal import Journal

    entries = Journal().entries()
    if args.json:
        told = [
            {"id": e.id, "paths": list(e.paths), "proof": e.proof, "destination": e.how.name, "state": e.state,
             "written": e.written or None, "reason": e.reason or None, "seconds": e.seconds or None}
            for e in entries
        ]  # fmt: skip
        print(json.dumps(told, indent=1, ensure_ascii=False))
        return DONE
    for e in entries:
        name = Path(e.paths[0]).name + (f" “{e.proof}”" if e.proof else "")
        print(
            f"{e.id[:8]}  {e.state:9}  {name} -> {e.how.name}{f'  {e.written or e.reason}' if e.written or e.reason else ''}"
        )
    if not entries:
        print("The queue is empty.")
    return DONE


def _run(_args: argparse.Namespace) -> int:
    from irvane.core.finish.journal import FAILED, Entry, Journal
    from irvane.core.finish.queue import run_queue

    terminal = sys.stderr.isatty()
    journal = Journal()

    def progress(share: float) -> bool:
        if terminal:
            print(f"\r{share:4.0%}", end="", file=sys.stderr, flush=True)
        return True

    def told(entry: Entry) -> None:
        if terminal:
            print("\r", end="", file=sys.stderr)
        if entry.state == FAILED:
            print(f"irvane: {entry.reason}", file=sys.stderr)
        else:
            print(f"{entry.paths[0]} -> {entry.written or entry.reason}")

    try:
        _, failed = run_queue(journal, told, progress)
    except IrvaneError as error:
        say(error)
        return SOME_FAILED
    return SOME_FAILED if failed else DONE


def _chosen(ids: list[str]) -> list[str] | None:
    from irvane.core.finish.journal import Journal

    if not ids:
        return None
    found = [e.id for e in Journal().entries() if any(e.id.startswith(start) for start in ids)]
    if not found:
        raise UsageError(f"there is no entry {', '.join(ids)} in the queue")
    return found


def _change(args: argparse.Namespace) -> int:
    from irvane.core.finish.journal import Journal

    journal, ids = Journal(), _chosen(args.ids)
    try:
        if args.step == "clear":
            over = [e.id for e in journal.entries() if e.over and (ids is None or e.id in ids)]
            journal.remove(over)
            print(f"{len(over)} forgotten")
        else:
            count = journal.cancel(ids) if args.step == "cancel" else journal.retry(ids)
            print(f"{count} {'cancelled' if args.step == 'cancel' else 'put back'}")
    except IrvaneError as error:
        say(error)
        return SOME_FAILED
    return DONE


def _queue(args: argparse.Namespace) -> int:
    return {"add": _add, "list": _list, "run": _run}.get(args.step, _change)(args)


def _mark(args: argparse.Namespace) -> int:
    from irvane.core.files.identity import content_hash
    from irvane.core.files.remembered import begun
    from irvane.core.files.sidecar import load_sidecar, save_sidecar
    from irvane.core.files.xmp_rating import write_rating

    changes = {k: v for k, v in (("mark", args.mark), ("stars", args.stars)) if v is not None}
    inputs, failed = expand(args.inputs)
    for path in inputs:

        def one(path: Path = path) -> None:
            key = content_hash(path)
            found = load_sidecar(path, key)
            marked = replace(found or begun(path) or Sidecar(), **changes)
            if changes:
                save_sidecar(marked, path, key, base=found)
            beside = write_rating(path, marked.mark, marked.stars) if args.xmp else ()
            words = [marked.mark or "no mark", f"{marked.stars} stars", *(b.name for b in beside)]
            print(f"{path}: {', '.join(words)}")

        failed |= not guarded(path, one)
    return SOME_FAILED if failed else DONE


def _destinations(args: argparse.Namespace) -> int:
    from dataclasses import asdict

    from irvane.core.finish.destination import destinations, destinations_folder

    found = destinations()
    if args.json:
        print(json.dumps([asdict(one) for one in found], indent=1, ensure_ascii=False))
        return DONE
    for one in found:
        print(f"{one.name}: {one.words()}, into {one.folder}, named {one.pattern}{one.ending}")
    print(f"One's own are kept in {destinations_folder()}")
    return DONE


def _copy(args: argparse.Namespace) -> int:
    from irvane.core.finish.copying import FAILED, copy_all, find_pictures, plan_copy, told

    try:
        found, others = find_pictures(args.card)
        planned = plan_copy(found, args.folder, args.names)
    except SettingError as error:
        raise UsageError(str(error)) from error
    results = []
    for one in copy_all(planned):
        results.append(one)
        if one.state == FAILED:
            print(f"irvane: {one.reason}", file=sys.stderr)
        elif not args.json:
            print(f"{one.source} -> {one.target} ({one.state})", flush=True)
    if args.json:
        told_ = [
            {"source": str(r.source), "target": str(r.target), "state": r.state, "reason": r.reason or None}
            for r in results
        ]
        print(json.dumps(told_, indent=1, ensure_ascii=False))
    else:
        print(told(results, others))
    return SOME_FAILED if any(r.state == FAILED for r in results) else DONE


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "queue": _queue,
    "destinations": _destinations,
    "mark": _mark,
    "copy": _copy,
}
