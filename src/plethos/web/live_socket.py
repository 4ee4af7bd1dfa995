"""The live socket: poses and strokes in, frames out.

Poses: only the newest that has arrived is answered, so nothing queues however fast the pointer moves. Strokes: every
touch counts, and is answered once all that have arrived are applied.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import math
from typing import Any

import structlog
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from fastapi.concurrency import run_in_threadpool

from plethos.core.errors import BadPoseError, PlethosError
from plethos.core.regions import PICKED
from plethos.core.sculpt.session import Dab
from plethos.core.weights.paint import Paint
from plethos.service import painting, picking, sculpting
from plethos.service.jobs import WENT_WRONG, Jobs
from plethos.service.live import Moving, Preview, Wanted, contacts, frame, pose_of
from plethos.service.open_character import OpenCharacter
from plethos.service.painting import Within
from plethos.service.workbench import Workbench
from plethos.store.work import CANCELLED, DONE, UNDER_WAY, Work
from plethos.web.states import character_state

router = APIRouter()
log = structlog.get_logger()
LOOK_EVERY = 0.1  # seconds between two looks at long work


@router.websocket("/api/characters/{character_id}/live")
async def live(socket: WebSocket, character_id: str) -> None:
    """Messages are JSON: ``pose``, ``contacts``, strokes of the three kinds of brush, ``automatic`` and ``cancel``.

    See docs/formats/live-socket.md.
    """
    await socket.accept()
    bench: Workbench = socket.app.state.bench
    try:
        await run_in_threadpool(bench.open, character_id)
    except PlethosError as error:
        await socket.send_text(json.dumps({"type": "problem", "detail": error.sentence}))
        await socket.close(4404)
        return
    waiting: asyncio.Queue[dict[str, Any]] = asyncio.Queue(maxsize=1000)
    watch = _Watch(socket, socket.app.state.jobs, character_id)
    reader = asyncio.create_task(_read(socket, waiting))
    try:
        while not reader.done() or not waiting.empty():
            getter = asyncio.create_task(waiting.get())
            done, _ = await asyncio.wait({getter, reader}, return_when=asyncio.FIRST_COMPLETED)
            if getter not in done:
                getter.cancel()
                break
            batch = [getter.result()]
            while not waiting.empty():
                batch.append(waiting.get_nowait())
            for message in _newest(batch):
                if message.get("type") == "automatic":
                    await watch.ask(message)
                elif message.get("type") == "cancel":
                    await watch.cancel()
                else:
                    await _answer(socket, bench, character_id, message)
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        reader.cancel()
        watch.leave()


class _Watch:
    """Tells a page how long work on its character goes: what it asked for, or what was under way when it came."""

    def __init__(self, socket: WebSocket, jobs: Jobs, character_id: str) -> None:
        self.socket, self.jobs, self.character_id = socket, jobs, character_id
        self.work: Work | None = None
        self.telling: asyncio.Task[None] | None = None
        # Poses do not wait for the looking up.
        self.looking = asyncio.create_task(self._look())

    async def _look(self) -> None:
        self._follow(await run_in_threadpool(self.jobs.list.under_way, self.character_id))

    async def ask(self, message: dict[str, Any]) -> None:
        """Have automatic weights made, unless something is under way already."""
        await self.looking
        if self.telling is not None and not self.telling.done():
            return
        names, region = message.get("joints"), message.get("region")
        joints = [str(n) for n in names] if isinstance(names, list) else None
        region = region if isinstance(region, str) else None
        try:
            self._follow(await self.jobs.ask("automatic", self.character_id, joints=joints, region=region))
        except Exception:
            log.exception("long work was not taken")
            await self._tell(json.dumps({"type": "problem", "detail": WENT_WRONG}))

    async def cancel(self) -> None:
        """Stop at the next step; then nothing changes."""
        if self.work is not None:
            await run_in_threadpool(self.jobs.list.cancel, self.work.id)

    def leave(self) -> None:
        """The page is gone; the work goes on."""
        self.looking.cancel()
        if self.telling is not None:
            self.telling.cancel()

    def _follow(self, work: Work | None) -> None:
        self.work = work
        if work is not None:
            self.telling = asyncio.create_task(self._tell_of(work))

    async def _tell_of(self, work: Work) -> None:
        told = -1.0
        while work.state in UNDER_WAY:
            if work.share != told:
                told = work.share
                await self._tell(json.dumps({"type": "progress", "share": told}))
            await asyncio.sleep(LOOK_EVERY)
            now = await run_in_threadpool(self.jobs.list.find, work.id)
            if now is None:
                return
            work = now
        if work.state == DONE:
            opened = await run_in_threadpool(self.jobs.bench.catch_up, self.character_id)
            await self._tell(_saved(opened))
        elif work.state == CANCELLED:
            await self._tell(json.dumps({"type": "cancelled"}))
        else:
            await self._tell(json.dumps({"type": "problem", "detail": work.detail or WENT_WRONG}))

    async def _tell(self, text: str) -> None:
        with contextlib.suppress(WebSocketDisconnect, RuntimeError):
            await self.socket.send_text(text)


async def _read(socket: WebSocket, waiting: asyncio.Queue[dict[str, Any]]) -> None:
    try:
        while True:
            try:
                message = json.loads(await socket.receive_text())
            except (ValueError, KeyError):
                message = {"type": "unreadable"}
            await waiting.put(message if isinstance(message, dict) else {"type": "unreadable"})
    except (WebSocketDisconnect, RuntimeError):
        return


def _newest(batch: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Leave out poses, and counts asked for, that a later one has overtaken."""
    last = {m.get("type"): i for i, m in enumerate(batch)}
    return [m for i, m in enumerate(batch) if m.get("type") not in ("pose", "contacts") or i == last[m.get("type")]]


async def _answer(socket: WebSocket, bench: Workbench, character_id: str, message: dict[str, Any]) -> None:
    kind, seq = message.get("type"), message.get("seq")
    try:
        opened = bench.open(character_id)
        if kind == "pose":
            # Evaluating takes a millisecond or two, less than a trip to a thread and back under load.
            await socket.send_bytes(_posed(opened, message))
        elif kind == "contacts":
            counted = await run_in_threadpool(contacts, opened, message, _wanted(opened, message).alone)
            await socket.send_text(json.dumps({"type": "contacts", "seq": seq, **counted}))
        elif kind == "dabs":
            for touch in message.get("dabs", []):
                sculpting.dab(opened, str(message.get("brush")), _dab(touch), _within(message))
            await socket.send_bytes(_posed(opened, {**message, "joints": {}}))
        elif kind == "paint":
            touches, mirror = [_dab(t) for t in message.get("dabs", [])], bool(message.get("mirror"))
            with opened.lock:
                pose, brush = pose_of(opened, message), _paint(opened, message)
                painting.paint_dabs(opened, pose, touches, brush, mirror, _within(message))
            await socket.send_bytes(_posed(opened, message))
        elif kind == "paint_end":
            joint = opened.character.skeleton.find(str(message.get("joint")))
            await run_in_threadpool(painting.end_stroke, bench, opened, joint)
            await socket.send_text(_saved(opened, seq=seq))
        elif kind == "pick":
            touches, mirror = [_dab(t) for t in message.get("dabs", [])], bool(message.get("mirror"))
            with opened.lock:
                picking.pick_dabs(opened, pose_of(opened, message), touches, bool(message.get("take")), mirror)
            await socket.send_bytes(_posed(opened, message))
        elif kind == "pick_end":
            await run_in_threadpool(picking.end_pick, bench, opened)
            await socket.send_text(_saved(opened, seq=seq))
        elif kind == "stroke_end":
            await run_in_threadpool(sculpting.end_stroke, bench, opened, str(message.get("brush")))
            await socket.send_text(_saved(opened, seq=seq))
        else:
            raise BadPoseError("The server does not know that kind of message.")
    except PlethosError as error:
        await socket.send_text(json.dumps({"type": "problem", "seq": seq, "detail": error.sentence}))
    except (WebSocketDisconnect, RuntimeError):
        raise
    except Exception:
        log.exception("live message failed", kind=kind)
        await socket.send_text(json.dumps({"type": "problem", "seq": seq, "detail": WENT_WRONG}))


def _posed(opened: OpenCharacter, message: dict[str, Any]) -> bytes:
    """The frame that a message asks for. The lock spans it all: joints are named by number once they are found."""
    with opened.lock:
        return frame(opened, pose_of(opened, message), _wanted(opened, message), {"seq": message.get("seq")})


def _wanted(opened: OpenCharacter, message: dict[str, Any]) -> Wanted:
    want = message.get("want")
    want = want if isinstance(want, dict) else {}
    measure, alone, preview = want.get("measure"), want.get("alone"), want.get("preview")
    return Wanted(
        without=bool(want.get("without")),
        heat=bool(want.get("heat")),
        alone=alone if isinstance(alone, str) else None,
        measure=opened.character.skeleton.find(str(measure)) if measure else None,
        weights=opened.character.skeleton.find(str(want["weights"])) if want.get("weights") else None,
        mixed=bool(want.get("mixed")),
        region=bool(want.get("region")),
        moving=_moving(opened, want.get("moving")),
        preview=Preview(str(preview.get("remedy_id")), preview.get("trigger") or {})
        if isinstance(preview, dict)
        else None,
    )


def _moving(opened: OpenCharacter, moving: Any) -> Moving | None:
    if not isinstance(moving, dict):
        return None
    try:
        x, y, z = (float(c) for c in moving["at"])
    except (KeyError, TypeError, ValueError):
        raise BadPoseError("A joint that is moved needs a place of three numbers.") from None
    return Moving(opened.character.skeleton.find(str(moving.get("joint"))), (x, y, z), bool(moving.get("mirror")))


def _within(message: dict[str, Any]) -> Within | None:
    """The region that a brush is kept to, or kept out of."""
    within = message.get("within")
    if not isinstance(within, dict):
        return None
    return Within(str(within.get("region", PICKED)), bool(within.get("outside")))


def _saved(opened: OpenCharacter, **more: Any) -> str:
    return json.dumps({"type": "saved", **more, "state": character_state(opened).model_dump(mode="json")})


def _paint(opened: OpenCharacter, message: dict[str, Any]) -> Paint:
    skeleton = opened.character.skeleton
    names = message.get("locked")
    locked = skeleton.mask(str(n) for n in (names if isinstance(names, list) else []))
    try:
        value, strength = float(message.get("value", 1.0)), float(message.get("strength", 1.0))
    except (TypeError, ValueError):
        raise BadPoseError("The value and the strength of the brush have to be numbers.") from None
    if not (math.isfinite(value) and math.isfinite(strength)):
        raise BadPoseError("The value and the strength of the brush have to be finite numbers.")
    return Paint(str(message.get("mode")), skeleton.find(str(message.get("joint"))), value, strength, locked)


def _dab(touch: Any) -> Dab:
    try:
        x, y, z = (float(c) for c in touch["at"])
        a, b, c = (float(v) for v in touch.get("drag", (0, 0, 0)))
        radius, strength, falloff = (float(v) for v in (touch["radius"], touch["strength"], touch.get("falloff", 1)))
        return Dab(int(touch["triangle"]), (x, y, z), radius, strength, (a, b, c), falloff)
    except (KeyError, TypeError, ValueError):
        raise BadPoseError("A touch of the brush needs a triangle, a place, a radius and a strength.") from None
