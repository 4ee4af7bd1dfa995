"""Remedies: whatever restores volume or removes pinching.

All are `Remedy`; what differs is the body. A new kind is one new file here that defines a class with the members of
`Body` and is listed in `KINDS`.
"""

from __future__ import annotations

from plethos.core.rules.remedies.body import Body, Deformer
from plethos.core.rules.remedies.corrective import Corrective, Target
from plethos.core.rules.remedies.helper import Helper
from plethos.core.rules.remedies.helper_rules import Anchor, Grow, HelperRule, Limit, Push, Share, Slide
from plethos.core.rules.remedies.order import Order
from plethos.core.rules.remedies.relaxer import Relaxer
from plethos.core.rules.remedies.remedy import KINDS, Remedy, remedy_from_document
from plethos.core.rules.remedies.skin_blend import SkinBlend
from plethos.core.rules.remedies.volume_keeper import VolumeKeeper

__all__ = [
    "KINDS",
    "Anchor",
    "Body",
    "Corrective",
    "Deformer",
    "Grow",
    "Helper",
    "HelperRule",
    "Limit",
    "Order",
    "Push",
    "Relaxer",
    "Remedy",
    "Share",
    "SkinBlend",
    "Slide",
    "Target",
    "VolumeKeeper",
    "remedy_from_document",
]
