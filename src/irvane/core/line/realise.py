"""A proof's whole picture at once, for files, reports, merges and measurements; a window's is made in pieces
by the engine."""

from __future__ import annotations

from dataclasses import replace

from irvane.core.line.context import Context, make_context
from irvane.core.line.develop import Developed, develop
from irvane.core.line.executor import made
from irvane.core.line.source import Loaded, Source
from irvane.core.line.tasks import WHOLE, Request, plan_for
from irvane.core.progress import Progress, always, part, step
from irvane.core.settings import Settings

#: Shares of the work that loading and developing usually take, and of what follows refining.
_DEVELOPED, _REFINED = 0.15, 0.15
#: Share that all this has of writing a file; the rest is rendering.
DENOISED = 0.75


def developed_only(loaded: Loaded, settings: Settings) -> tuple[Developed, Context]:
    """The first stage, without anything that takes long: demosaiced, and the facts of the frame."""
    developed = develop(loaded, settings.sensor)
    return developed, make_context(developed)


def realise(
    source: Source | Loaded, settings: Settings, progress: Progress = always, both: bool = False
) -> tuple[Developed, Context]:
    """All that a proof's whole picture is made of: loaded, developed and, as the settings ask, denoised;
    without its mosaic.

    Raises
    ------
    ReadError, MergeError, Cancelled
    """
    loaded = source if isinstance(source, Loaded) else source.load(part(progress, 0.0, _DEVELOPED))
    developed, context = developed_only(loaded, settings)
    del loaded
    step(progress, _DEVELOPED)
    developed, context = completed(developed, settings, context, part(progress, _DEVELOPED, 1.0), both)
    # the mosaic is not needed any more: a sixth of the memory
    return replace(developed, mosaic=None), context


def completed(
    developed: Developed,
    settings: Settings,
    context: Context,
    progress: Progress = always,
    both: bool = False,
) -> tuple[Developed, Context]:
    """A developed source, whose mosaic must be there, with all that is still to be made for a proof.

    Raises
    ------
    Cancelled
    """
    for task in plan_for(developed, settings, context, both).tasks(Request(settings)):
        share = (_REFINED, 1.0) if task.kind == WHOLE else (0.0, _REFINED)
        developed, context = made(task, developed, context, part(progress, *share))
    return developed, context
