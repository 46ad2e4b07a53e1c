"""The command ``develop``: frame after frame, or several at once; with a line of progress on a terminal, or
results as JSON."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import asdict, dataclass, replace
from functools import partial
from itertools import chain, count
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
    keep_to_threads,
    read_settings,
    settings_options,
)
from irvane.commands._to import destinations_of, to_options
from irvane.core.errors import WriteError
from irvane.core.settings import Settings, bare
from irvane.core.store.json_text import json_text

#: Share of a frame that has to be done before time left is told.
_TELLING = 0.05

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    develop = commands.add_parser("develop", help="develop frames into finished pictures")
    develop.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    develop.add_argument("--out", type=Path, metavar="FILE_OR_DIR", default=None)
    to_options(develop)
    develop.add_argument("--overwrite", action="store_true", help="replace existing files")
    settings_options(develop)
    develop.add_argument("--suggest", action="store_true", help="suggested exposure, shadows and highlights")
    develop.add_argument(
        "--automatic",
        action="store_true",
        help="each by its own noise, edges and light; your presets by noise come first",
    )
    develop.add_argument("--flat", action="store_true", help="the plain scene-linear rendition for measuring")
    develop.add_argument("--space", choices=("srgb", "p3", "adobe-rgb", "prophoto", "rec2020"), default=None)
    develop.add_argument("--linear", action="store_true", help="linear light, no base curve")
    develop.add_argument("--depth", type=int, choices=(8, 16, 32), default=16)
    develop.add_argument("--jobs", type=int, default=1, metavar="N", help="frames at once, each in a process")
    develop.add_argument("--json", action="store_true", help="what came of each, as JSON at the end")


@dataclass(frozen=True)
class Work:
    """One frame to be developed.

    Attributes
    ----------
    target : file to write; None: where the destination puts it.
    how : destination, by its values; None where the file's ending tells all.
    suggest, decide : exposure and recovery are suggested; or decided by the frame's noise, edges and light.
    note : said of it beside what the line says.
    """

    path: Path
    target: Path | None
    settings: Settings
    number: int
    originals: tuple[Path, ...]
    space: str
    linear: bool
    flat: bool
    depth: int
    overwrite: bool
    how: Any = None
    suggest: bool = False
    decide: bool = False
    note: str = ""


@dataclass(frozen=True)
class Outcome:
    """What came of it: the file, remarks, or why not."""

    input: str
    output: str = ""
    notes: tuple[str, ...] = ()
    problem: str = ""
    seconds: float = 0.0


def _settings(args: argparse.Namespace) -> Settings:
    settings = read_settings(args, bare() if args.flat else Settings())
    if args.flat and args.denoise is None and not any(s.startswith("noise.amount") for s in args.sets):
        settings = settings.with_value("noise.amount", 0)
    return settings if args.space is None else settings.with_value("finish.space", args.space)


def _into_folder(args: argparse.Namespace) -> bool:
    """Is --out a folder? It is made where it has to be."""
    folders = any(path.is_dir() for path in args.inputs)
    into = args.out.is_dir() or len(args.inputs) > 1 or folders or not args.out.suffix
    if into and not args.out.is_dir():
        if args.out.exists():
            raise UsageError(f"{args.out}: several inputs need a folder")
        try:
            args.out.mkdir(parents=True)
        except OSError as error:
            raise WriteError(args.out, f"the folder cannot be made ({error.strerror})") from error
    return bool(into)


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    settings = _settings(args)
    if args.jobs < 1:
        raise UsageError("--jobs needs at least 1")
    if args.out is None and args.to is None:
        raise UsageError("develop needs --out FILE_OR_DIR or --to NAME")
    hows = destinations_of(args) if args.out is None else [None]
    into_folder = args.out is not None and _into_folder(args)
    inputs, failed = expand(args.inputs)
    works = []
    for how in hows:
        for number, path in enumerate(inputs, 1):
            target = None if how is not None else args.out / f"{path.stem}.tif" if into_folder else args.out
            works.append(
                Work(
                    path, target, settings, number, tuple(inputs), settings.finish.space, args.linear,
                    args.flat,
                    args.depth, args.overwrite, how, args.suggest, args.automatic,
                )
            )  # fmt: skip
    from irvane.core.finish.delivery import LIGHT_NOTE, TONED_NOTE

    once, told = (LIGHT_NOTE, TONED_NOTE), set[str]()
    outcomes: list[Outcome] = []
    shown = _Line(len(works))
    for outcome in _several(works, args.jobs, shown) if args.jobs > 1 else _one_by_one(works, shown):
        shown.clear()
        if outcome.problem:
            failed = True
            print(f"irvane: {outcome.problem}", file=sys.stderr)
        elif not args.json:
            for note in outcome.notes:
                if note not in once:
                    print(f"{outcome.input}: {note}")
                elif note not in told:
                    print(note)
                    told.add(note)
            if outcome.output:
                print(f"{outcome.input} -> {outcome.output}", flush=True)
        outcomes.append(outcome)
    if args.json:
        print(json_text([asdict(one) for one in outcomes]))
    return SOME_FAILED if failed else DONE


class _Line:
    """One line on a terminal: which frame, how far, how long still; nothing where the error stream is no
    terminal."""

    def __init__(self, count: int) -> None:
        self._count, self._done, self._began = count, 0, time.monotonic()
        self._on = sys.stderr.isatty()

    def show(self, name: str, share: float) -> bool:
        if self._on:
            whole = (self._done + share) / self._count
            left = (time.monotonic() - self._began) * (1 - whole) / max(whole, 1e-6)
            told = f", {left:.0f} s left" if share > _TELLING or self._done else ""
            print(
                f"\r\x1b[K{self._done + 1} of {self._count}: {name} {share:.0%}{told}",
                end="", file=sys.stderr, flush=True,
            )  # fmt: skip
        return True

    def clear(self) -> None:
        self._done += 1
        if self._on:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)


def _one_by_one(works: list[Work], shown: _Line) -> Iterator[Outcome]:
    for work in _told_apart(works):
        yield carry_out(work, partial(shown.show, work.path.name))


def _told_apart(works: list[Work]) -> list[Work]:
    """Inputs that would be written under one name, such as a raw and a JPEG of one shot: all but the
    first take their ending into the name, and a note says so."""
    made: set[Path] = set()
    found = []
    for work in works:
        target = work.target
        if target in made and target is not None:
            ending = work.path.suffix.lstrip(".").lower() or "file"
            endings = chain([""], (f"-{k}" for k in count(2)))
            names = (target.with_name(f"{target.stem}-{ending}{more}{target.suffix}") for more in endings)
            other = next(name for name in names if name not in made)
            note = f"another input has the same name: written as {other.name}"
            work, target = replace(work, target=other, note=note), other
        if target is not None:
            made.add(target)
        found.append(work)
    return found


def _several(works: list[Work], jobs: int, shown: _Line) -> Iterator[Outcome]:
    """Several frames at once."""
    with ProcessPoolExecutor(jobs, get_context("spawn"), initializer=keep_to_threads) as pool:
        running = [pool.submit(carry_out, work) for work in _told_apart(works)]
        try:
            for one in as_completed(running):
                shown.show("", 0.0)
                yield one.result()
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise


def carry_out(work: Work, progress: Callable[[float], bool] = lambda _share: True) -> Outcome:
    """Develop one frame; what goes wrong is told in the outcome."""
    began = time.monotonic()
    found: list[Outcome] = []
    problems: list[str] = []

    def one() -> None:
        found.append(_made(work, progress))

    if not guarded(work.path, one, problems.append):
        return Outcome(str(work.path), problem=problems[0])
    return replace(found[0], seconds=round(time.monotonic() - began, 2))


def _made(work: Work, progress: Callable[[float], bool]) -> Outcome:
    from irvane.core.finish import job
    from irvane.core.finish.queue import target_of
    from irvane.core.line.bands import Output
    from irvane.core.line.context import suggested_light
    from irvane.core.line.realise import realise
    from irvane.core.line.source import FileSource

    source, notes = FileSource(work.path), [work.note] if work.note else []
    target, how, overwrite = work.target, work.how, work.overwrite
    if target is None:
        target, overwrite = target_of(source, how, "", work.number), how.existing == "replace"
        if target is None:
            return Outcome(str(work.path), notes=("a file of that name exists; nothing was written",))
    else:
        how = job.how_for(target, work.settings.finish, work.depth)
    output = Output(work.space, work.linear, work.flat)
    whole = job.Target(target, output, work.depth, overwrite, work.originals, how)
    settings, ready = work.settings, None
    job.check_target(target, overwrite, whole.originals)
    if work.decide:
        from irvane.core.files.preferences import preferences
        from irvane.core.judge.automatic import decide

        decided = decide(source, settings, preferences().new_frames, rules=True)
        settings = decided.settings or settings
        notes.append(decided.words)
    if work.suggest:
        ready = realise(source, settings)
        suggested = suggested_light(*ready)
        settings = settings.with_values(suggested.values())
        notes.append(suggested.words)
    written = job.run(source, settings, whole, progress, ready)
    return Outcome(str(work.path), str(written.path), (*notes, *written.notes))
