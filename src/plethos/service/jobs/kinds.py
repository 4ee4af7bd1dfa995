"""The registry of long work: each kind is one file here with a class, listed in `KINDS`."""

from __future__ import annotations

from plethos.service.jobs.automatic_weights import AutomaticWeightsJob
from plethos.service.jobs.delivery import DeliveryJob
from plethos.service.jobs.first_mend import FirstMendJob
from plethos.service.jobs.kind import JobKind
from plethos.service.jobs.push_apart import PushApartJob
from plethos.service.jobs.sweep import SweepJob
from plethos.service.jobs.which_kind import WhichKindJob

KINDS: dict[str, JobKind] = {
    kind.name: kind
    for kind in (AutomaticWeightsJob(), FirstMendJob(), PushApartJob(), WhichKindJob(), DeliveryJob(), SweepJob())
}
