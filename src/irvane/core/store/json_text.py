"""JSON as it is kept and printed: letters stay readable, and what is no text (a file name of another
encoding)
comes back as it was."""

from __future__ import annotations

import json
from typing import Any


def json_text(value: Any, indent: int | None = 1) -> str:
    """JSON that every encoding of text can hold.

    A name that is no UTF-8 has half pairs of surrogates in it (PEP 383), which no file can hold: then all
    that
    is not ASCII is escaped, and reading it gives the same name again.
    """
    text = json.dumps(value, indent=indent, ensure_ascii=False)
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        return json.dumps(value, indent=indent)
    return text
