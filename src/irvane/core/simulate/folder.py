"""Where the demo pictures lie."""

from __future__ import annotations

from pathlib import Path

import platformdirs

#: The test card through both bodies, in a folder of its own beside the frames.
LADDER_FOLDER = "ladder"


def demo_folder() -> Path:
    """Where the demo pictures are kept: in the user's data folder."""
    return platformdirs.user_data_path("irvane") / "demo"
