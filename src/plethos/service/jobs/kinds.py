"""Kinds of long work: each is one file here with a function, listed in `KINDS`."""

from __future__ import annotations

from collections.abc import Callable

from plethos.service.jobs.automatic_weights import automatic_weights

Job = Callable[..., None]
"""Does it on what is stored of a character now, and stores what it comes to: a function of the workbench, the
character's id, `progress`, and as keywords of what else a page asks with, plain data since it goes through the
database. It calls `progress` with the share that is done between two steps; that raises when nobody wants it any more.
"""

KINDS: dict[str, Job] = {"automatic": automatic_weights}
