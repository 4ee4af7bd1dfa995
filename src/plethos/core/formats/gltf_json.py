"""The JSON of a glTF file."""

from __future__ import annotations

import codecs
import contextlib
import json
from typing import Any

import numpy as np
from pydantic_core import from_json

from plethos.core.errors import BadFileError

DEEPEST = 200
FOREIGN = ("extras", "extensions")


def json_of(text: bytes) -> Any:
    """The JSON of a file, without what is null: that is as good as missing.

    Raises
    ------
    BadFileError
        When it cannot be read, or is nested too deep.
    """
    try:
        document = _parsed(text.removeprefix(codecs.BOM_UTF8))
    except (ValueError, RecursionError):
        raise BadFileError("The file is broken: its JSON cannot be read.") from None
    if b"null" in text:
        _drop_nulls(document)
    return document


def _parsed(text: bytes) -> Any:
    """What JSON says; by the faster of two parsers where that takes it, for nobody else runs meanwhile."""
    with contextlib.suppress(ValueError):
        return from_json(text, allow_inf_nan=False, cache_strings="keys")  # at most one deeper than `DEEPEST`
    signs = np.frombuffer(text, np.uint8)
    opened, closed = np.isin(signs, (0x5B, 0x7B)), np.isin(signs, (0x5D, 0x7D))
    if (np.cumsum(opened.astype(np.int32)) - np.cumsum(closed.astype(np.int32))).max(initial=0) > DEEPEST:
        raise BadFileError(f"The file is nested more than {DEEPEST} deep: nothing would read it again.")
    document = json.loads(text.decode(), parse_constant=_no_number)
    if b"\\u" in text:
        json.dumps(document, ensure_ascii=False).encode()
    return document


def _no_number(name: str) -> float:
    raise ValueError(name)


def _drop_nulls(document: Any) -> None:
    """Take out what is null, save in what is not glTF's own."""
    waiting = [document]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            for key in [k for k, v in value.items() if v is None]:
                del value[key]
            waiting += [v for k, v in value.items() if isinstance(v, dict | list) and k not in FOREIGN]
        elif isinstance(value, list):
            waiting += [v for v in value if isinstance(v, dict | list)]
