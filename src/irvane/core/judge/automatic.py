"""What is proposed for many frames, each by what is the matter with it: noise removal by its noise,
sharpening by
its edges, exposure and recovery by its light. The user's own presets by noise come before the shipped
rules."""

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


#: Noise removal by class of noise, the worst first (common practice; tuned by eye on frames of the project's
#: own
#: simulator): where much is removed a little texture is given back, and the haze of the deepest tones taken
#: away.
_BY_NOISE: dict[str, dict[str, float]] = {
    "extreme noise": {"noise.texture": 15, "noise.clear_black": 60},
    "strong noise": {"noise.texture": 15, "noise.clear_black": 40},
    "visible noise": {"noise.texture": 20},
}
#: Edges of this width (σ, pixels) are sharpened; finer ones need nothing, wider ones were softened by
#: something
#: that sharpening does not undo.
_SHARPENED = 0.8, 2.2


def _by_rule(measured: Measured, base: Settings) -> tuple[dict[str, object], list[str]]:
    """The shipped rules for noise, sharpening and lens, and why."""
    values: dict[str, object] = {"noise.amount": None, "lens.profile": base.lens.profile}
    words = []
    if measured.snr is not None:
        extra = _BY_NOISE.get(measured.noise, {})
        values |= extra
        words.append("noise removed as measured" + (", some texture given back" if extra else ""))
    low, high = _SHARPENED
    blur = measured.ranked
    if blur is None:
        words.append("not sharpened: too few edges to tell by")
    elif blur < low:
        words.append("not sharpened: its edges are crisp")
    elif blur > high:
        words.append(f"not sharpened: edges of {blur:.1f} px are blurred, see Acutance for the cause")
    elif measured.noise in _BY_NOISE and measured.noise != "visible noise":
        words.append("not sharpened: noise would come with it")
    else:
        values["acutance.automatic"] = "on"
        words.append(f"sharpened for edges of {blur:.1f} px")
    return values, words


def decide(
    source: Source, base: Settings, how: NewFrames, progress: Progress = always, rules: bool = False
) -> Decision:
    """Decide on a frame.

    Parameters
    ----------
    base : settings that it has now; what is decided is laid over them.
    how : the user's choice of presets by class of noise, and whether light is suggested.
    rules : where the user chose no preset, the shipped rules hold, and light is suggested.

    Raises
    ------
    Cancelled
        When `progress` returns False. Anything else that goes wrong is told in the decision's words.
    """
    try:
        return _decide(source, base, how, progress, rules)
    except Cancelled:
        raise
    except IrvaneError as error:
        return Decision(None, None, str(error))


def _decide(source: Source, base: Settings, how: NewFrames, progress: Progress, rules: bool) -> Decision:
    measured = measure_source(source, part(progress, 0.0, 0.5))
    settings, words = base, [_found(measured)]
    name = dict(how.by_noise).get(measured.noise, "")
    preset = next((one for one in list_presets(presets_folder())[0] if one.name == name), None)
    if preset is not None:
        settings = preset.applied(settings)
        words.append(f"“{preset.name}”")
    elif name:
        words.append(f"the preset “{name}” is not there any more")
    if rules and preset is None:
        values, why = _by_rule(measured, base)
        settings = settings.with_values(values)
        words += why
    if how.light or rules:
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
