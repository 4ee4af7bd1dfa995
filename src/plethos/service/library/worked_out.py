"""Storing what was worked out of a version, unless the version is another by now."""

from __future__ import annotations

from plethos.core.character import Character
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.version import HeldSculpt, OvertakenError, Version
from plethos.service.library.workbench import Workbench


def put(
    workbench: Workbench,
    opened: OpenCharacter,
    version: Version,
    label: str,
    character: Character,
    sculpt: HeldSculpt | None = None,
) -> Version:
    """Store what was worked out of a version, if that is still the current one."""
    with opened.editing:
        now = opened.version
        if now.character is not version.character or now.sculpt is not version.sculpt:
            raise OvertakenError
        return workbench.commit(opened, label, character, sculpt)
