"""Which work is still missing for what is wanted: worked out from what is there and from the settings alone.

Windows, strips, files, reports, merges and measurements all ask here; what is missing is done by
:mod:`irvane.core.line.executor`.
"""

from __future__ import annotations

from dataclasses import replace

from irvane.core.line.frame import Frame
from irvane.core.line.looks import look_of, settings_in
from irvane.core.line.tasks import FAST_PART, FULL, LENS, MOSAIC, PART, REFINE, REFINED, WHOLE, Request, Task


def missing(frame: Frame, request: Request) -> list[Task]:
    """The work that is missing, in the order in which it is best done: what is seen before the whole, coarse
    before fine."""
    if frame.coarse:
        return [Task(FULL, request)]
    tasks = []
    if frame.lacks_mosaic and request.region is not None and look_of(request.look).raw is not None:
        tasks.append(Task(MOSAIC, request))
    plan = frame.plan(request.settings, request.both)
    if plan.measures_lens:
        tasks.append(Task(LENS, request))
    if plan.refines:
        tasks += _refined_where_seen(frame, request)
        tasks.append(Task(REFINE, request))
    if plan.removal.strength:
        tasks += _denoised_where_seen(frame, request)
        tasks.append(Task(WHOLE, request, plan.removal))
    return tasks


def _refined_where_seen(frame: Frame, request: Request) -> list[Task]:
    """A picture without denoising is refined where it is looked at, before the whole."""
    region, settings = request.region, request.settings
    if (
        region is None
        or region.step > 1
        or frame.removal(settings).strength
        or frame.refined_at(settings, region)
    ):
        return []
    return [Task(REFINED, request)]


def _denoised_where_seen(frame: Frame, request: Request) -> list[Task]:
    """What is looked at is denoised before the whole: in a fast way first."""
    region = request.region
    if region is None:
        return []
    settings = settings_in(request.look, request.settings)
    if frame.clean(settings, region) is not None:
        return []
    seen = replace(request, settings=settings)
    tasks = []
    if frame.rough(settings, region) is None and frame.faster(settings, region):
        tasks.append(Task(FAST_PART, seen, frame.removal(settings)))
    if region.step <= 1:
        tasks.append(Task(PART, seen, frame.removal(settings)))
    return tasks
