"""The rules of helper joints: each says where a helper goes, of what others do.

Rules of one helper are worked out together: anchor first, then shares, slides and pushes in their order, grow, and the
limit last. A new kind is one more file here with a class that has the members of `HelperRule`, an operation in
`helper_kernels`, and a line in `RULES`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.rules.remedies.helper_rules.anchor import Anchor
from plethos.core.rules.remedies.helper_rules.grow import Grow
from plethos.core.rules.remedies.helper_rules.limit import Limit
from plethos.core.rules.remedies.helper_rules.push import Push
from plethos.core.rules.remedies.helper_rules.rule import HelperRule
from plethos.core.rules.remedies.helper_rules.share import Share
from plethos.core.rules.remedies.helper_rules.slide import Slide
from plethos.core.skeleton.skeleton import Skeleton

__all__ = ["ORDER", "RULES", "Anchor", "Grow", "HelperRule", "Limit", "Push", "Share", "Slide", "rule_from_document"]

RULES: dict[str, type[HelperRule]] = {r.kind: r for r in (Share, Slide, Push, Grow, Limit, Anchor)}
# What is worked out before what; shares, slides and pushes in the order in which they stand.
ORDER = {"anchor": 0, "share": 1, "slide": 1, "push": 1, "grow": 2, "limit": 3}


def rule_from_document(document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> HelperRule:
    """Read a rule of any kind.

    Raises
    ------
    BadEditError
        For a kind that this version does not know, or broken numbers.
    """
    kind = RULES.get(str(document.get("kind"))) if isinstance(document, Mapping) else None
    if kind is None:
        raise BadEditError("A helper needs a joint and rules that this version knows.")
    return kind.from_document(document, skeleton, helper)
