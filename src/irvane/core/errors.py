"""Errors a photographer can understand: what happened, to which file, what to do."""

from __future__ import annotations

import os
from pathlib import Path

#: Longer names and paths are cut in sentences.
_LONGEST = 240


def plain_text(text: str, longest: int = _LONGEST) -> str:
    """A text as it can be shown in one line anywhere: names that are no text get signs for what they hold,
    and long ones are cut in the middle."""
    try:
        coded = os.fsencode(text)
    except UnicodeEncodeError:  # half of a pair of surrogates, from a maker's text
        coded = text.encode("utf-8", "replace")
    text = coded.decode("utf-8", "replace")
    text = "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in text)
    if len(text) <= longest:
        return text
    return f"{text[: longest // 2]}…{text[-(longest - longest // 2 - 1) :]}"


class IrvaneError(Exception):
    """Base of every error that is shown to the user as it is, as one plain sentence."""


class FileError(IrvaneError):
    """A file could not be read or written.

    Parameters
    ----------
    path : path of the file the sentence is about.
    reason : what went wrong, without the file's name and without a full stop.
    """

    def __init__(self, path: str | Path, reason: str) -> None:
        self.path = Path(path)
        self.reason = reason
        super().__init__(f"{plain_text(str(self.path))}: {reason}")

    def __reduce__(self) -> tuple[type[FileError], tuple[Path, str]]:
        return type(self), (self.path, self.reason)


class ReadError(FileError):
    """The file is missing, damaged, or of a kind Irvane does not read."""


class WriteError(FileError):
    """The target cannot be written: it exists already, the folder is read-only, the disk is full."""


class SettingError(IrvaneError):
    """A setting has an unknown name or a value outside its range."""


class NewerSettingError(SettingError):
    """Settings of a kind that a newer version of the program may know: a name, a method, a form."""


class MergeError(IrvaneError):
    """The frames cannot be merged with each other."""


class Cancelled(IrvaneError):  # noqa: N818 (cancelling is no error)
    """The work was cancelled; nothing was written."""

    def __init__(self) -> None:
        super().__init__("cancelled")
