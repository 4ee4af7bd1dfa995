"""What a page says and is told, one message at a time."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Coroutine
from typing import Any

import structlog
from fastapi import WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ValidationError

from plethos.service.schemas.live import (
    ContactsMessage,
    PoseMessage,
)

log = structlog.get_logger()
AGAIN = 1.0
UNREADABLE = "The server does not know that kind of message."


async def again_and_again(tell: Callable[[], Coroutine[Any, Any, None]]) -> None:
    """Go on telling after a fault: the database may be away for a while."""
    while True:
        try:
            await tell()
        except Exception:
            log.exception("a page could not be told")
            await asyncio.sleep(AGAIN)


def newest_of(batch: list[Any]) -> list[Any]:
    """Leave out poses, and counts asked for, that a later one has overtaken."""
    last = {type(m): i for i, m in enumerate(batch)}
    return [m for i, m in enumerate(batch) if not isinstance(m, PoseMessage | ContactsMessage) or i == last[type(m)]]


async def send(socket: WebSocket, message: BaseModel) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await socket.send_text(message.model_dump_json(by_alias=True))


def sentence_of(error: ValidationError) -> str:
    """What is wrong with a message, where."""
    first = error.errors()[0]
    if first["type"] in ("union_tag_invalid", "union_tag_not_found", "json_invalid", "model_attributes_type"):
        return UNREADABLE
    place = " ".join(str(p) for p in first["loc"][1:])
    return f"{place or 'The message'}: {first['msg']}."
