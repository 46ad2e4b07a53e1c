"""The subject: things whose place is known, pictures that have none, and what standing out is told by."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots
import skimage.data

from irvane.core.line.local import reference_of
from irvane.core.line.realise import realise
from irvane.core.regions.belief import FEATURES, confidence, features
from irvane.core.regions.reference import Reference
from irvane.core.regions.saliency import pieces_of, saliency
from irvane.core.regions.subject import subject_mask
from irvane.core.settings import Settings


def _reference(light: np.ndarray) -> Reference:
    picture = np.ascontiguousarray(light * shots.NEUTRAL.astype(np.float32), np.float32)
    return reference_of(*realise(shots.loaded(picture, 200), Settings()))


def _overlap(one: np.ndarray, two: np.ndarray) -> float:
    return float((one & two).sum() / (one | two).sum())


def test_a_sharp_thing_before_a_blurred_ground_is_the_subject_and_plain_ground_has_none() -> None:
    ground = cv2.GaussianBlur(shots.photograph("coffee.png", reduced=False)[:400, :600], (0, 0), 7)
    thing = shots.photograph("astronaut.png", reduced=False)[100:400, :450]
    y, x = np.mgrid[0:400, 0:600]
    truth = np.hypot((x - 290) / 110, (y - 200) / 130) < 1
    picture = ground.copy()
    picture[truth] = cv2.resize(thing, (600, 400))[truth]
    found = subject_mask(_reference(picture))
    assert found.found
    mask = cv2.resize(found.mask, (600, 400)) > 0.5
    assert (mask & truth).sum() / (mask | truth).sum() > 0.8
    ramp = np.tile(np.linspace(0.1, 0.3, 600, dtype=np.float32)[None, :, None], (400, 1, 3))
    none = subject_mask(_reference(ramp))
    assert not none.found and none.mask.max() == 0


def test_a_silhouette_is_cut_out_by_what_stands_out_alone() -> None:
    """The horse of scikit-image, black before white: its own pixels are the truth."""
    horse = ~skimage.data.horse()
    truth = cv2.resize(horse.astype(np.float32), (720, 480), interpolation=cv2.INTER_AREA)
    light = np.repeat((0.7 - 0.65 * truth)[..., None], 3, axis=2).astype(np.float32)
    found = subject_mask(_reference(light))
    assert found.found
    mask = cv2.resize(found.mask, (720, 480))
    assert _overlap(mask > 0.5, truth > 0.5) > 0.7
    between_legs = np.s_[400:440, 300:400]
    assert truth[between_legs].max() == 0 and mask[between_legs].max() < 0.1, "what is open stays open"


@pytest.mark.parametrize("name", ["brick", "grass", "gravel"])
def test_textures_have_no_subject(name: str) -> None:
    grey = (getattr(skimage.data, name)() / 255.0) ** 2.2 * 0.8
    assert not subject_mask(_reference(np.repeat(grey[..., None], 3, axis=2))).found


def test_what_is_joined_to_the_border_is_ground_whatever_its_colour() -> None:
    """Two grounds of different colours, and a thing of a third that touches none of the border (Zhu and others 2014, figure 2)."""
    lab = np.full((200, 300, 3), (120, 128, 128), np.float32)
    lab[:, 150:] = (150, 110, 150)
    thing = np.hypot(*(np.mgrid[:200, :300] - np.array([100, 150])[:, None, None])) < 45
    lab[thing] = (90, 170, 140)
    lab += np.random.default_rng(1).normal(0, 2, lab.shape).astype(np.float32)
    found = saliency(lab)
    assert found[thing].mean() > 0.9 and found[~thing].mean() < 0.15
    pieces = pieces_of(lab)
    inside = np.bincount(pieces.ravel(), thing.ravel()) / np.maximum(np.bincount(pieces.ravel()), 1)
    assert pieces.min() == 0 and np.mean((inside > 0.1) & (inside < 0.9)) < 0.05, "pieces keep to contours"


def test_a_shape_is_believed_the_more_it_differs_from_what_is_around_it() -> None:
    thing = np.hypot(*(np.mgrid[:120, :180] - np.array([60, 90])[:, None, None])) < 30
    lab = np.full((120, 180, 3), 128, np.float32)
    sure = []
    for apart in (0.0, 0.3, 0.8):
        guess = np.where(thing, 0.2 + apart, 0.2).astype(np.float32)
        painted = lab + 100 * apart * thing[..., None].astype(np.float32)
        told = features(thing, guess, guess, None, painted)
        assert told.shape == (len(FEATURES),) and told[:2] == pytest.approx(apart, abs=1e-6) and told[2] == 0
        sure.append(confidence(told))
    assert sure[0] < 0.1 < sure[1] < sure[2] and sure[2] > 0.9
