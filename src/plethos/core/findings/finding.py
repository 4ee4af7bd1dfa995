"""One thing that is wrong with a remedy."""

from __future__ import annotations

from dataclasses import dataclass

from plethos.core.rules.remedies import Remedy
from plethos.core.rules.triggers import Trigger


@dataclass(frozen=True)
class Finding:
    """What is wrong, and what would mend it.

    Parameters
    ----------
    kind
        ``order``, ``unit``, ``sign``, ``axis``, ``joint``, ``reach``, ``rest``, ``amount`` or ``twice``.
    text
        A sentence.
    click
        What the button says that mends it; empty where there is none.
    trigger, remedy
        The trigger or the remedy as it would be then; None = stays.
    """

    kind: str
    text: str
    click: str = ""
    trigger: Trigger | None = None
    remedy: Remedy | None = None
