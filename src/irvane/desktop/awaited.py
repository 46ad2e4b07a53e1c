"""What is being made for the window already is not made again to be written."""

from __future__ import annotations

import time

from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.engine import Engine
from irvane.core.line.jobs import Worker
from irvane.core.line.source import Source
from irvane.core.line.steps import developing
from irvane.core.progress import Progress, step
from irvane.core.settings import Settings

#: Seconds until it is looked again whether what is waited for is there.
_LOOK_AGAIN = 0.05


def awaited(
    engine: Engine, heavy: Worker, source: Source, settings: Settings, progress: Progress
) -> tuple[Developed, Context] | None:
    """The form of a proof that is shown, waited for while `heavy` makes it; None where nothing makes it.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    # shares of the jobs that make it; when there are none any more, it is looked for once again
    known = [0.0]
    while (frame := engine.best(source, settings.sensor)) is not None and not frame.coarse:
        if frame.complete_for(settings):
            return frame.fitting(settings).developed, frame.context
        if not known:
            break
        sensor = developing(settings.sensor)
        jobs = ("whole", frame.removal(settings)), ("refine", sensor), ("lens", sensor)
        shares = [heavy.share((words, source.key, made_for)) for words, made_for in jobs]
        known = [share for share in shares if share is not None]
        if known:
            step(progress, max(known))
            time.sleep(_LOOK_AGAIN)
    return None
