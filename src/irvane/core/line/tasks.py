"""What can be wanted of a source, and the pieces of work that lead there."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace

from irvane.core.line.context import Context, noise_amount, noise_removal, to_be_measured
from irvane.core.line.develop import Developed, to_be_refined
from irvane.core.line.looks import PICTURE
from irvane.core.line.source import MOSAIC as MOSAIC_ENTRY
from irvane.core.line.steps import developing, noise_shares
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

#: Kinds of work. COARSE: the first form, straight from the binned mosaic. FULL: demosaiced at full
#: resolution. MOSAIC: it, read again where it was given up. LENS: its errors measured. REFINE: the plain
#: picture by the network. WHOLE: the denoised picture.
COARSE, FULL, MOSAIC, LENS, REFINE, WHOLE = "coarse", "full", "mosaic", "lens", "refine", "whole"
#: Kinds of work on what is seen alone. FAST_PART: denoised fast for now. PART: denoised. REFINED: the plain
#: picture by the network.
FAST_PART, PART, REFINED = "rough", "part", "refined"
#: Work that makes what a proof's whole picture consists of.
LASTING = (LENS, REFINE, WHOLE)


@dataclass(frozen=True)
class Request:
    """What is wanted of a source: of a proof of it, or of what is looked at.

    Attributes
    ----------
    region : the part of the output that is looked at; None: the whole picture, which nobody looks at now.
    look : how it is seen.
    both : is the plain picture wanted even where the proof shows nothing of it (beside it, or to be mixed
        anew)?
    """

    settings: Settings
    region: OutputRegion | None = None
    look: str = PICTURE
    both: bool = True


@dataclass(frozen=True)
class Task:
    """A piece of work.

    Attributes
    ----------
    removal : how noise is removed in it; strength 0 where it is not.
    """

    kind: str
    request: Request
    removal: Removal = Removal()

    @property
    def made_for(self) -> tuple[Hashable, ...]:
        """What its result depends on besides the source."""
        if self.kind == COARSE:
            return ()
        sensor = developing(self.request.settings.sensor)
        if self.kind == WHOLE:
            return (self.removal,)
        return (sensor, self.removal, self.request.region) if self.of_what_is_seen else (sensor,)

    @property
    def of_what_is_seen(self) -> bool:
        """Is its result of use for the region that is looked at alone?"""
        return self.kind in (FAST_PART, PART, REFINED)

    @property
    def takes_mosaic(self) -> bool:
        """Is its input the mosaic, where there is one?"""
        return self.kind in (MOSAIC, PART, REFINED) or (self.kind == FAST_PART and self._is_near)

    @property
    def removal_of_part(self) -> Removal:
        """How noise is removed where work on what is seen is done at 1:1: roughly is fast."""
        return replace(self.removal, kind=FAST) if self.kind == FAST_PART and self._is_near else self.removal

    @property
    def _is_near(self) -> bool:
        return self.request.region is not None and self.request.region.step <= 1


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

    def tasks(self, request: Request) -> list[Task]:
        """The pieces of work that this plan needs, in the order in which they are done."""
        tasks = [Task(LENS, request)] if self.measures_lens else []
        tasks += [Task(REFINE, request)] if self.refines else []
        return [*tasks, Task(WHOLE, request, self.removal)] if self.removal.strength else tasks

    @property
    def done(self) -> bool:
        """Is nothing left to be made?"""
        return not (self.measures_lens or self.refines or self.removal.strength)


def wished_removal(developed: Developed, settings: Settings, context: Context) -> Removal:
    """How the denoiser has to run for a proof; strength 0 where nothing can be removed."""
    able = developed.can_be_denoised or developed.entry == MOSAIC_ENTRY
    return noise_removal(settings, context) if able else Removal()


def plan_for(developed: Developed, settings: Settings, context: Context, both: bool = False) -> Plan:
    """What a proof still needs.

    Parameters
    ----------
    both : the plain picture is wanted as well where the proof shows nothing of it (beside it, or to be mixed
        anew).
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
