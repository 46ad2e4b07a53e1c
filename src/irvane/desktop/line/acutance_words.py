"""What there is to say of a frame's sharpness: why it is soft, where, and what is done about it by itself."""

from __future__ import annotations

from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.line.frame import Frame
from irvane.core.line.softness import softness_words
from irvane.core.line.view import remaining_noise, sharpening_in_force
from irvane.core.settings import Settings


def acutance_text(settings: Settings, frame: Frame) -> str:
    """Cause and place of the softness, and what the automatic sharpening does."""
    context, parts = frame.context, []
    if context.softness is not None:
        cause = context.softness
        parts.append(
            f"{cause.words()} ({cause.confidence:.0%} sure)" if cause.blur is not None else cause.words()
        )
    if context.edges is not None:
        parts.append(softness_words(softness_map(context.edges, frame.developed.extent)))
    noise = remaining_noise(frame.developed, settings, context, frame.developed.denoised is not None)
    words = sharpening_in_force(settings, context, noise)[1]
    if words:
        parts.append(words)
    if not parts:
        parts.append(
            "Why and where the frame is soft is measured once deblurring or the automatic is on; the look "
            "“where it is soft” (K) shows it."
        )
    return " ".join(parts)
