"""What the tests share: small simulated frames, and a home folder of their own."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

_HOME = Path(tempfile.mkdtemp(prefix="irvane-test-"))
# nothing may land in the user's own folders; compiled kernels stay where they are, they are expensive
_KERNELS = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "irvane" / "kernels"
os.environ.setdefault("IRVANE_KERNELS", str(_KERNELS))
_KERNELS.mkdir(parents=True, exist_ok=True)
for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
    os.environ[name] = str(_HOME / name)
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# what is measured holds on every processor; half precision has tests of its own (tests/core/test_networks.py)
os.environ["IRVANE_PRECISION"] = "f32"

import shutil  # noqa: E402

import hypothesis  # noqa: E402
import pytest  # noqa: E402

from irvane.core.simulate.demo import make_demo  # noqa: E402


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The small demo set; never written to by a test."""
    folder = tmp_path_factory.mktemp("demo")
    make_demo(folder, seed=1, small=True)
    return folder


@pytest.fixture
def frames(demo: Path, tmp_path: Path) -> Path:
    """A copy of the small demo set that a test may write beside."""
    folder = tmp_path / "frames"
    shutil.copytree(demo, folder)
    return folder


# kernels are compiled in the first example: no limit of time
hypothesis.settings.register_profile("kernels", deadline=None)
hypothesis.settings.load_profile("kernels")
