"""The diagnosis: classes after ISO 12232's 40:1 and 10:1, sentences that carry their figures."""

from __future__ import annotations

import pytest
import shots

from irvane.core.image import NoiseModel
from irvane.core.judge.diagnosis import MID_SIGNAL, decibels, diagnose, noise_class


def test_classes_follow_the_standards_ratios() -> None:
    assert noise_class(41) == "hardly any noise"
    assert noise_class(39) == "slight noise"
    assert noise_class(10.1) == "visible noise"
    assert noise_class(9.9) == "strong noise"
    assert noise_class(1) == "extreme noise"
    assert decibels(10) == pytest.approx(20)


@pytest.mark.parametrize(
    ("iso", "kind", "amount"),
    [(100, "hardly any noise", "next to nothing"), (3200, "visible noise", "denoises at 100 %"),
     (102_400, "extreme noise", "denoises at 100 %")],
)  # fmt: skip
def test_sensitivity_shows_in_class_and_measure(iso: float, kind: str, amount: str) -> None:
    noise = shots.noise_of(iso)
    found = diagnose(noise, 0.0, (2.0, 0.8, 1.5))
    assert found.noise == kind
    assert f"SNR {decibels(noise.snr(MID_SIGNAL)):.0f} dB" in found.findings[0]
    assert amount in found.measures[0]
    assert "0.8 EV of room in green" in found.findings[1]


def test_clipping_and_defects_are_told_with_what_is_done() -> None:
    few = diagnose(None, 0.0004, None, 12)
    assert few.noise == "" and few.findings == ("0.04 % of the pixels are clipped.", "12 defective pixels.")
    assert len(few.measures) == 2
    many = diagnose(NoiseModel((1e-5,) * 3, (1e-4,) * 3, "sensitivity"), 0.06, None)
    assert "a usual sensor" in many.findings[0] and "6.0 %" in many.findings[1]
    assert diagnose(None, None, None).findings == (), "nothing is known of a finished picture's sensor"
    assert diagnose(None, 0.0, None).findings == ("Nothing is clipped.",)
