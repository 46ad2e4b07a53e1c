"""What files say of their shots: makers' notes written and decoded by exiv2, names of lenses."""

from __future__ import annotations

from pathlib import Path

import exiv2
import numpy as np
import pytest

from irvane.core.files.info import FrameInfo, changed_metadata, read_info
from irvane.core.files.searching import Searched, wanted
from irvane.core.files.shot import Said
from irvane.core.files.writers import write_jpeg
from irvane.core.lens.identify import alternatives, parsed
from irvane.core.lens.optics import Optics
from irvane.core.lens.profile import find_profile


def _file(folder: Path, tags: dict[str, object]) -> Path:
    """A JPEG with these tags; exiv2 codes the makers' notes among them."""
    path = folder / "a.jpg"
    write_jpeg(path, np.full((64, 96, 3), 90, np.uint8), space="srgb", quality=90, overwrite=True)
    with changed_metadata(path) as image:
        data = image.exifData()
        for key, value in tags.items():
            data[f"Exif.{key}"] = value
    return path


def _numbers(text: str, kind: exiv2.TypeId = exiv2.TypeId.unsignedShort) -> exiv2.Value:
    made = exiv2.Value.create(kind)
    made.read(text)
    return made


def test_a_lens_that_only_the_makers_notes_know(tmp_path: Path) -> None:
    """Lens ids and their names: exiv2's tables."""
    path = _file(tmp_path, {
        "Image.Make": "Canon", "Image.Model": "Canon EOS 5D Mark II", "Photo.FocalLength": _numbers("35/1", exiv2.TypeId.unsignedRational),
        "CanonCs.LensType": _numbers("505"), "CanonCs.Lens": _numbers("35 35 1"), "CanonCs.MaxAperture": _numbers("64"),
    })  # fmt: skip
    info = read_info(path)
    said = {one.name: one for one in info.shot}
    assert info.lens == "Canon EF 35mm f/2 IS USM"
    assert said["lens"].origin == "Exif.CanonCs.LensType"
    assert info.as_dict()["shot"]["lens"]["value"] == info.lens


def test_sensitivities_above_the_fields_end(tmp_path: Path) -> None:
    """Exif 2.32, 4.6.5: 65535 stands for more, and RecommendedExposureIndex has it."""
    path = _file(tmp_path, {
        "Photo.ISOSpeedRatings": _numbers("65535"),
        "Photo.RecommendedExposureIndex": _numbers("102400", exiv2.TypeId.unsignedLong),
    })  # fmt: skip
    assert read_info(path).iso == 102_400
    assert read_info(_file(tmp_path, {"Photo.ISOSpeedRatings": _numbers("65535")})).iso is None


@pytest.mark.parametrize(
    ("orientation", "place"), [(1, (0.25, 0.4)), (3, (0.75, 0.6)), (6, (0.6, 0.25)), (8, (0.4, 0.75))]
)
def test_where_the_camera_focused(tmp_path: Path, orientation: int, place: tuple[float, float]) -> None:
    """Exif 2.32, SubjectArea: pixels of the picture as it is stored; turned by hand here."""
    path = _file(tmp_path, {
        "Photo.SubjectArea": _numbers("250 200"), "Photo.PixelXDimension": _numbers("1000"),
        "Photo.PixelYDimension": _numbers("500"), "Image.Orientation": _numbers(str(orientation)),
    })  # fmt: skip
    assert read_info(path).focus == pytest.approx(place)


def test_names_that_mean_several_lenses_and_none() -> None:
    assert alternatives("Canon EF 28-70mm f/2.8L USM *OR* Sigma 28-70mm f/2.8 EX") == (
        "Canon EF 28-70mm f/2.8L USM", "Sigma 28-70mm f/2.8 EX",
    )  # fmt: skip
    assert alternatives("Sigma 35mm f/1.4 DG HSM | A") == ("Sigma 35mm f/1.4 DG HSM | A",)
    assert alternatives("Minolta AF 24mm F2.8 | Sigma 17-35mm F2.8-4.0 EX-D")[1].startswith("Sigma")
    for nothing in ("", "----", "n/a", "(137)", "Unknown Lens (0)", "65535"):
        assert alternatives(nothing) == (), nothing


@pytest.mark.parametrize(
    "other",
    ["EF50mm f/1.8 STM", "Canon EF 50mm F1.8 STM", "Canon EF 50 mm 1:1.8 STM", "CANON EF 50mm f/1,8 STM"],
)
def test_one_form_for_every_spelling(other: str) -> None:
    one, two = parsed("Canon EF 50mm f/1.8 STM"), parsed(other)
    assert (one.focals, one.apertures, one.words) == (two.focals, two.apertures, two.words)
    assert parsed("Canon EF 16-35mm f/2.8L II USM").words != parsed("Canon EF 16-35mm f/2.8L III USM").words
    assert parsed("Canon EF 500mm f/4L IS II USM + 1.4x").converter == 1.4


#: Body, name as cameras print it, focal length, what the database calls it (read in the database), and how sure.
_LENSES = (
    ("Canon", "Canon EOS R6", "RF70-200mm F2.8 L IS USM", 100, "Canon RF 70-200mm F2.8L IS USM", "certain"),
    ("FUJIFILM", "X-T3", "XF18-55mmF2.8-4 R LM OIS", 23, "Fujifilm XF18-55mmF2.8-4 R LM OIS", "certain"),
    ("SONY", "ILCE-6000", "E PZ 16-50mm F3.5-5.6 OSS", 16, "Sony E PZ 16-50mm f/3.5-5.6 OSS", "certain"),
    ("OM Digital Solutions", "E-M1MarkIII", "OLYMPUS M.12-100mm F4.0", 50,
     "Olympus M.Zuiko Digital ED 12-100mm f/4.0 IS Pro", "certain"),
    ("NIKON CORPORATION", "NIKON D90", "18.0-105.0 mm f/3.5-5.6", 50,
     "Nikon AF-S DX Zoom-Nikkor 18-105mm f/3.5-5.6G ED VR", "likely"),
    ("Canon", "Canon EOS 5D Mark IV", "Sigma 85mm f/1.4 DG HSM | A", 85, "Sigma 85mm f/1.4 EX DG HSM", "likely"),
)  # fmt: skip


@pytest.mark.parametrize(("make", "model", "lens", "focal", "name", "sure"), _LENSES)
def test_a_lens_is_certain_only_when_one_is_left(
    make: str, model: str, lens: str, focal: float, name: str, sure: str
) -> None:
    found = find_profile(Optics(make, model, lens, float(focal)))
    assert found is not None
    assert (found.name, found.sure) == (name, sure)
    assert not found.others if sure == "certain" else len(found.others) <= 2


def test_no_lens_of_a_mount_that_the_body_cannot_carry() -> None:
    for model, lens in (("NIKON D850", "RF70-200mm F2.8 L IS USM"), ("NIKON D850", "NIKKOR Z 50mm f/1.8 S")):
        found = find_profile(Optics("NIKON CORPORATION", model, lens, 70.0 if "70" in lens else 50.0))
        assert found is None or found.sure == "likely"
        assert found is None or ("RF" not in found.name and "NIKKOR Z" not in found.name)


def test_the_sheet_searches_what_makers_note() -> None:
    info = FrameInfo(shot=(Said("drive", "Continuous, low", "Exif.CanonCs.DriveMode"),))
    one = Searched("a.dng", info, "", 0)
    assert wanted("drive continuous")(one) and wanted("low")(one)
    assert not wanted("drive single")(one) and not wanted("flash fired")(one)
