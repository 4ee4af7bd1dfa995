"""The registry of long work: each kind is one file here with a class, listed in `KINDS`."""

from __future__ import annotations

from plethos.service.jobs.automatic_weights import AutomaticWeightsJob
from plethos.service.jobs.kind import JobKind

KINDS: dict[str, JobKind] = {kind.name: kind for kind in (AutomaticWeightsJob(),)}
