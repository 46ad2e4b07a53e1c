"""What many frames begin with, each by what is the matter with it: a preset by its noise, exposure and
recovery by its light."""

from __future__ import annotations

from dataclasses import dataclass

from irvane.core.errors import Cancelled, IrvaneError
from irvane.core.files.preferences import NewFrames
from irvane.core.files.presets import list_presets, presets_folder
from irvane.core.judge.measured import Measured, measure_source
from irvane.core.line.context import suggested_light
from irvane.core.line.realise import developed_only
from irvane.core.line.source import Source
from irvane.core.progress import Progress, always, part
from irvane.core.settings import Settings


@dataclass(frozen=True)
class Decision:
    """What was decided for a frame, and why.

    Attributes
    ----------
    settings : what the frame begins with; None where nothing was to be decided, or it could not be.
    measured : what it was decided by.
    words : one sentence for the list.
    """

    settings: Settings | None
    measured: Measured | None
    words: str


def decide(source: Source, base: Settings, how: NewFrames, progress: Progress = always) -> Decision:
    """Decide on a frame.

    Parameters
    ----------
    base : settings that it has now; what is decided is laid over them.
    how : the user's choice of presets by class of noise, and whether light is suggested.

    Raises
    ------
    Cancelled
        When `progress` returns False. Anything else that goes wrong is told in the decision's words.
    """
    try:
        return _decide(source, base, how, progress)
    except Cancelled:
        raise
    except IrvaneError as error:
        return Decision(None, None, str(error))


def _decide(source: Source, base: Settings, how: NewFrames, progress: Progress) -> Decision:
    measured = measure_source(source, part(progress, 0.0, 0.5))
    settings, words = base, [_found(measured)]
    name = dict(how.by_noise).get(measured.noise, "")
    preset = next((one for one in list_presets(presets_folder())[0] if one.name == name), None)
    if preset is not None:
        settings = preset.applied(settings)
        words.append(f"“{preset.name}”")
    elif name:
        words.append(f"the preset “{name}” is not there any more")
    if how.light:
        loaded = source.load(part(progress, 0.5, 0.9))
        found = suggested_light(*developed_only(loaded, settings))
        settings = settings.with_values(found.values())
        words.append(found.words.rstrip("."))
    if settings == base:
        words.append("left as it is")
    return Decision(None if settings == base else settings, measured, "; ".join(words) + ".")


def _found(measured: Measured) -> str:
    if measured.snr is None:
        return measured.words()
    return f"{measured.noise}, SNR {measured.snr:.0f} dB at mid-grey, {measured.edges_words()}"
