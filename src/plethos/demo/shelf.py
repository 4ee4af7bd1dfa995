"""The demo as it ships with the package: figures and drawings by name."""

from __future__ import annotations

from plethos.core.errors import BadFileError
from plethos.demo.catalogue import DEMOS, FILES
from plethos.demo.drawings.catalogue import DRAWINGS

TITLES: dict[str, str] = {n: d.title for n, d in (*DEMOS.items(), *DRAWINGS.items())}
TELLS: dict[str, str] = {n: d.tells for n, d in (*DEMOS.items(), *DRAWINGS.items())}


def shipped(name: str) -> bytes:
    """The file of a demo.

    Raises
    ------
    BadFileError
        When there is none of that name.
    """
    if name not in TITLES:
        raise BadFileError(f"There is no demo called “{name}”; there are {', '.join(TITLES)}.")
    return (FILES / f"{name}{'.svg' if name in DRAWINGS else '.glb'}").read_bytes()
