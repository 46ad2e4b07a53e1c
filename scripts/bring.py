"""Compiles every kernel for one kind of processor, for a package to bring.

    python scripts/bring.py TARGET FOLDER

FOLDER gets a folder of that name (see ``TARGETS`` in ``irvane/core/brought.py``), for the running Python and its Numba.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from pathlib import Path


def main(target: str, folder: Path) -> None:
    """Compile into a new place, and put what came of it into the folder."""
    with tempfile.TemporaryDirectory(prefix="irvane-bring-") as place:
        # of this process and those it starts alone: before Numba is imported
        os.environ |= {"IRVANE_KERNELS": place, "NUMBA_CPU_NAME": target, "NUMBA_CPU_FEATURES": ""}
        from irvane.core.brought import TARGETS, made_for
        from irvane.core.private import own_folder
        from irvane.warm import warm

        if target not in TARGETS:
            raise SystemExit(f"There is no such kind of processor: {target}; there are {', '.join(TARGETS)}.")
        warm()
        for own in (*own_folder().glob("*/.lock"), *own_folder().glob("*.txt")):
            own.unlink()
        shutil.copytree(own_folder(), folder / target, dirs_exist_ok=True)
        (folder / target / made_for()).touch()


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]))
