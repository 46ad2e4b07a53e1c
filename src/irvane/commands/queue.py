"""The command ``queue``: write many frames, one after the other; survives a crash."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
    read_settings,
    say,
    settings_options,
)
from irvane.commands._to import destinations_of, to_options
from irvane.core.errors import IrvaneError
from irvane.core.settings import Settings
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
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
        ("cancel", "do not write what waits"), ("retry", "put what failed or was cancelled back"), ("clear",
        "forget what is over"),
    ):  # fmt: skip
        step = steps.add_parser(name, help=words)
        step.add_argument(
            "ids",
            nargs="*",
            metavar="ID",
            help="as `list --json` tells them, or their beginnings; all without",
        )


def _add(args: argparse.Namespace) -> int:
    from irvane.core.files.identity import content_hash
    from irvane.core.files.sidecar import load_sidecar
    from irvane.core.finish.estimates import estimated
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
            told = estimated(added).words()
            print(f"{len(wanted)} in the queue for “{how.name}” ({how.words()}){f': {told}' if told else ''}")
    if args.run and wanted:
        return max(_run(args), SOME_FAILED if failed else DONE)
    return SOME_FAILED if failed else DONE


def _list(args: argparse.Namespace) -> int:
    from irvane.core.finish.journal import Journal

    entries = Journal().entries()
    if args.json:
        told = [
            {"id": e.id, "paths": list(e.paths), "proof": e.proof, "destination": e.how.name,
            "state": e.state,
             "written": e.written or None, "reason": e.reason or None, "seconds": e.seconds or None}
            for e in entries
        ]  # fmt: skip
        print(json_text(told))
        return DONE
    for e in entries:
        name = Path(e.paths[0]).name + (f" “{e.proof}”" if e.proof else "")
        print(
            f"{e.id[:8]}  {e.state:9}  {name} -> "
            f"{e.how.name}{f'  {e.written or e.reason}' if e.written or e.reason else ''}"
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


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    return {"add": _add, "list": _list, "run": _run}.get(args.step, _change)(args)
