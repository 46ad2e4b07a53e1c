"""What is still to be made of a source so that a proof can be rendered whole, and the making of it.

The plan is worked out from what is there and from the settings alone. Files, reports, merges and measurements carry it out
here at once; the engine carries it out for the window in pieces, what is seen first, and keeps what it made.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from irvane.core.line.context import (
    Context,
    make_context,
    noise_amount,
    noise_removal,
    to_be_measured,
    with_lens_measured,
)
from irvane.core.line.develop import Developed, denoise_whole, develop, refine_plain, to_be_refined
from irvane.core.line.source import MOSAIC, Loaded, Source
from irvane.core.line.steps import noise_shares
from irvane.core.noise.denoise import Removal
from irvane.core.progress import Progress, always, part, step
from irvane.core.settings import Settings

#: Shares of the work that loading and developing usually take, and of what follows refining.
_DEVELOPED, _REFINED = 0.15, 0.15
#: Share that all this has of writing a file; the rest is rendering.
DENOISED = 0.75


@dataclass(frozen=True)
class Plan:
    """What is still to be made of a developed source.

    Attributes
    ----------
    measures_lens : errors of the lens, which the settings correct.
    refines : the plain picture by the network.
    removal : the denoised picture, in this way; strength 0 for none.
    """

    measures_lens: bool
    refines: bool
    removal: Removal

    @property
    def done(self) -> bool:
        """Is nothing left to be made?"""
        return not (self.measures_lens or self.refines or self.removal.strength)


def wished_removal(developed: Developed, settings: Settings, context: Context) -> Removal:
    """How the denoiser has to run for a proof; strength 0 where nothing can be removed."""
    able = developed.can_be_denoised or developed.entry == MOSAIC
    return noise_removal(settings, context) if able else Removal()


def plan_for(developed: Developed, settings: Settings, context: Context, both: bool = False) -> Plan:
    """What a proof still needs.

    Parameters
    ----------
    both : the plain picture is wanted as well where the proof shows nothing of it (beside it, or to be mixed anew).
    """
    wished = wished_removal(developed, settings, context)
    denoises = wished.strength > 0 and developed.can_be_denoised
    hidden = denoises and noise_shares(settings.noise, noise_amount(settings, context)).is_all
    made = developed.denoised is not None and developed.removal == wished
    return Plan(
        to_be_measured(developed, settings, context),
        (both or not hidden) and to_be_refined(developed, settings.sensor),
        wished if denoises and not made else Removal(),
    )


def developed_only(loaded: Loaded, settings: Settings) -> tuple[Developed, Context]:
    """The first stage, without anything that takes long: demosaiced, and the facts of the frame."""
    developed = develop(loaded, settings.sensor)
    return developed, make_context(developed)


def realise(
    source: Source | Loaded, settings: Settings, progress: Progress = always, both: bool = False
) -> tuple[Developed, Context]:
    """All that a proof's whole picture is made of: loaded, developed and, as the settings ask, denoised; without its mosaic.

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
    plan = plan_for(developed, settings, context, both)
    if plan.measures_lens:
        context = with_lens_measured(developed, context)
    if plan.refines:
        developed = refine_plain(developed, settings.sensor, part(progress, 0.0, _REFINED))
    if plan.removal.strength:
        clean = denoise_whole(developed, settings.sensor, plan.removal, part(progress, _REFINED, 1.0))
        developed = replace(developed, denoised=clean, removal=plan.removal)
    return developed, context
