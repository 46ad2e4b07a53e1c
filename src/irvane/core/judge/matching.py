"""Matching before judging: the exposure offset that makes two pictures equally bright."""

from __future__ import annotations

import numpy as np

from irvane.core.image import LUMA_2020

_LIMIT = 12.0


def brightness_offset(reference: np.ndarray, other: np.ndarray) -> float:
    """EV to add to `other` so that it is as bright as `reference`, in linear light.

    Parameters
    ----------
    reference, other : float32 H×W×3, scene-linear pictures of about the same content; sizes may differ.

    Returns
    -------
    The difference of their mean log luminance over the range both hold (25th to 75th percentile), in EV.
    """
    levels = []
    for picture in (reference, other):
        luminance = np.maximum(picture @ LUMA_2020, 0).ravel()
        quarter, three = np.percentile(luminance, (25, 75))
        inner = luminance[(luminance >= quarter) & (luminance <= three)]
        # the mean, not the median of logs: the noise of dark pixels must not pull
        levels.append(float(np.log2(max(float(inner.mean()), 1e-9))))
    return float(np.clip(levels[0] - levels[1], -_LIMIT, _LIMIT))
