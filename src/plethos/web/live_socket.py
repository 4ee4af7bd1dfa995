"""The live socket: poses and strokes in, frames out. One socket is one desk.

Poses: only the newest that has arrived is answered, so nothing queues however fast the pointer moves. Strokes: every
touch counts, and is answered once all that have arrived are applied.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from typing import Annotated, Any, TypeVar

import structlog
from fastapi import APIRouter, Query, WebSocket, WebSocketDisconnect
from fastapi.concurrency import run_in_threadpool
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError

from plethos.core.errors import BadEditError, PlethosError
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.pose import Pose
from plethos.service.desk.desk import Desk
from plethos.service.desk.frame import awaited, contacts, frame
from plethos.service.jobs.jobs import Jobs
from plethos.service.jobs.worker import WENT_WRONG
from plethos.service.library.open_character import GONE, NotThereError
from plethos.service.library.poses import pose_of
from plethos.service.library.stroke import Tool
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.live import (
    SAID,
    ContactsAnswer,
    ContactsMessage,
    GoneMessage,
    LeaseMessage,
    PoseMessage,
    ProblemMessage,
    Said,
    StrokeMessage,
    VersionMessage,
)
from plethos.service.told.answers import job_message
from plethos.service.told.character_states import character_state
from plethos.service.tools.mask_strokes import MaskTool
from plethos.service.tools.outline_strokes import OutlineTool
from plethos.service.tools.paint_strokes import PaintTool
from plethos.service.tools.pick_strokes import PickTool
from plethos.service.tools.sculpt_strokes import SculptTool
from plethos.store.faults import fault_of
from plethos.store.transactions import AWAY
from plethos.store.work import OFFERED, Work
from plethos.web.live_messages import again_and_again, newest_of, send, sentence_of

T = TypeVar("T")
router = APIRouter()
log = structlog.get_logger()
TOOLS: dict[str, Tool] = {
    "sculpt": SculptTool(), "outline": OutlineTool(), "paint": PaintTool(), "pick": PickTool(), "mask": MaskTool()
}  # fmt: skip
RESTING = 3.0  # seconds between two looks whether another page has let its hands rest
TOUCHES = 16  # of a stroke that are worked out in one go
GONE_AFTER = 5.0  # seconds without a page after which nobody wants what was under way for it
NOT_SAVED = "The last stroke is not saved, everything before it is."
NO_TEXT = "Messages to the server are text, in JSON: this one was bytes."


@router.websocket("/api/characters/{character_id}/live")
async def live(socket: WebSocket, character_id: str, page: Annotated[str, Query(max_length=64)] = "") -> None:
    """Messages are one of `Said`, answers frames or one of `Told`: see docs/formats/live-socket.md."""
    bench: Workbench = socket.app.state.bench
    try:
        opened = await run_in_threadpool(bench.open, character_id)
    except NotThereError as error:
        await socket.close(4404, error.sentence)
        return
    await socket.accept()
    await _Session(socket, bench, Desk(opened, TOOLS, page or new_id())).run()


class _Session:
    """One page at its desk."""

    def __init__(self, socket: WebSocket, bench: Workbench, desk: Desk) -> None:
        self.socket, self.bench, self.desk = socket, bench, desk
        self.waiting: asyncio.Queue[Said | ProblemMessage] = asyncio.Queue(maxsize=1000)
        self._storing = False
        self._news = asyncio.Event()
        self._work = asyncio.Event()
        self._hands = asyncio.Event()
        self._others = asyncio.Event()
        self._gone = asyncio.Event()
        self._shown: PoseMessage | None = None
        self._measuring: dict[tuple[Version, int], asyncio.Task[None]] = {}

    async def run(self) -> None:
        loop = asyncio.get_running_loop()

        def changed(version: Version) -> None:
            # What this page stores by a stroke it is told in answer to that.
            if not self._storing:
                loop.call_soon_threadsafe(self._news.set)

        leave = [
            self.desk.opened.listen(changed),
            self.desk.opened.lease.come(self.desk.page, lambda: loop.call_soon_threadsafe(self._hands.set)),
            self.desk.opened.watch(self.desk, lambda: loop.call_soon_threadsafe(self._others.set)),
            self.desk.opened.on_gone(lambda: loop.call_soon_threadsafe(self._gone.set)),
            self.desk.leave,
            self.socket.app.state.notices.on_work(self.desk.opened.revision.character_id, self._work.set),
        ]
        reader = asyncio.create_task(self._read())
        telling = (self._tell_versions, self._tell_work, self._tell_lease, self._show_others, self._say_goodbye)
        tasks = [reader, *(asyncio.create_task(again_and_again(tell)) for tell in telling)]
        try:
            while not reader.done() or not self.waiting.empty():
                getter = asyncio.create_task(self.waiting.get())
                done, _ = await asyncio.wait({getter, reader}, return_when=asyncio.FIRST_COMPLETED)
                if getter not in done:
                    getter.cancel()
                    break
                batch = [getter.result()]
                while not self.waiting.empty():
                    batch.append(self.waiting.get_nowait())
                for message in newest_of(batch):
                    await self._answer(message)
        except (WebSocketDisconnect, RuntimeError):
            pass
        finally:
            for end in leave:
                end()
            loop.call_later(GONE_AFTER, loop.run_in_executor, None, self._leave)
            for task in (*tasks, *self._measuring.values()):
                task.cancel()

    async def _read(self) -> None:
        try:
            while True:
                came = await self.socket.receive()
                if came["type"] == "websocket.disconnect":
                    return
                text = came.get("text")
                if text is None:
                    await self.waiting.put(ProblemMessage(seq=None, detail=NO_TEXT))
                    continue
                try:
                    await self.waiting.put(SAID.validate_json(text))
                except ValidationError as error:
                    await self.waiting.put(ProblemMessage(seq=None, detail=sentence_of(error)))
        except (WebSocketDisconnect, RuntimeError):
            return

    async def _answer(self, message: Said | ProblemMessage) -> None:
        seq, desk = message.seq, self.desk
        try:
            if isinstance(message, ProblemMessage):
                await send(self.socket, message)
            elif isinstance(message, PoseMessage):
                self._shown = message
                await self._show(message)
            elif isinstance(message, ContactsMessage):
                counted = await run_in_threadpool(self._counted, message)
                await send(self.socket, ContactsAnswer(seq=message.seq, **counted))
            elif isinstance(message, StrokeMessage):
                # A few touches at a time, so that nobody's stroke waits for all of another's.
                for start in range(0, len(message.dabs), TOUCHES):
                    await self._in("strokes", self._touch, message, start)
                await self.socket.send_bytes(await self._in("frames", self._touched, message))
            else:
                self._storing = True
                try:
                    made = await run_in_threadpool(desk.end_stroke, self.bench)
                finally:
                    self._storing = False
                await self._tell_version(made, message.seq)
                if desk.opened.version is not made:
                    # What others stored while this was under way was not told.
                    self._news.set()
        except PlethosError as error:
            await send(self.socket, ProblemMessage(seq=seq, detail=error.sentence))
        except (WebSocketDisconnect, RuntimeError):
            raise
        except OperationalError as error:
            log.error("database away", path="live")
            await send(self.socket, ProblemMessage(seq=seq, detail=f"{fault_of(error)} {NOT_SAVED}"))
        except Exception:
            log.exception("live message failed")
            await send(self.socket, ProblemMessage(seq=seq, detail=WENT_WRONG))

    async def _show(self, message: PoseMessage) -> None:
        shown, version, joint = await self._in("frames", self._posed, message)
        await self.socket.send_bytes(shown)
        if joint is not None:
            self._measure_later(version, joint)

    async def _in(self, threads: str, work: Callable[..., T], *given: Any) -> T:
        """Work something out in threads that are kept for it: no pose waits for a request, an edit, or a stroke."""
        pool = getattr(self.socket.app.state, threads)
        return await asyncio.get_running_loop().run_in_executor(pool, work, *given)

    def _posed(self, message: PoseMessage) -> tuple[bytes, Version, int | None]:
        """The frame, of which version it is, and the joint that it may go without the measures of."""
        version = self.desk.version
        # Looked at before the frame is made: who finds the region meanwhile (the strip) shows no frame.
        joint = awaited(version, message.want.measure)
        return self._frame(message, version, pose_of(version, message.pose.plain())), version, joint

    def _measure_later(self, version: Version, joint: int) -> None:
        """Find the region of a joint, if that is new; then show the pose again, measured."""
        if (version, joint) in self._measuring:
            return

        async def measured() -> None:
            try:
                with contextlib.suppress(BadEditError):
                    await run_in_threadpool(version.measures.bend, joint)
            finally:
                self._measuring.pop((version, joint), None)
            self._others.set()

        self._measuring[version, joint] = asyncio.create_task(measured())

    def _touch(self, message: StrokeMessage, start: int) -> None:
        version = self.desk.version
        dabs = [d.dab() for d in message.dabs[start : start + TOUCHES]]
        pose = pose_of(version, message.pose.plain())
        self.desk.touch(version, message.settings.tool, pose, message.settings, dabs)

    def _touched(self, message: StrokeMessage) -> bytes:
        version = self.desk.version
        return self._frame(message, version, pose_of(version, message.pose.plain()))

    def _counted(self, message: ContactsMessage) -> dict[str, int]:
        version = self.desk.version
        return contacts(self.desk, version, pose_of(version, message.pose.plain()), message.want)

    def _frame(self, message: PoseMessage | StrokeMessage, version: Version, pose: Pose) -> bytes:
        return frame(self.desk, version, pose, message.want, {"seq": message.seq}, waits=False)

    def _leave(self) -> None:
        """Let go what was under way for the page, unless it is back."""
        if not self.desk.opened.lease.is_here(self.desk.page):
            with contextlib.suppress(*AWAY):
                Jobs(self.bench).leave_page(self.desk.page)

    async def _tell_versions(self) -> None:
        """Say what others have stored, the newest only."""
        while True:
            await self._news.wait()
            self._news.clear()
            await self._tell_version(self.desk.opened.version, None)

    async def _show_others(self) -> None:
        """Show what another page does to the character while its pen is down, as fast as this page takes it."""
        while True:
            await self._others.wait()
            self._others.clear()
            if self._shown is None or self.desk.stroke is not None:
                continue
            with contextlib.suppress(PlethosError, WebSocketDisconnect, RuntimeError):
                await self._show(self._shown.model_copy(update={"seq": None}))

    async def _tell_lease(self) -> None:
        """Say whether another page edits, whenever that changes."""
        told = False
        while True:
            now = self.desk.opened.edited_elsewhere(self.desk.page)
            if now != told:
                await send(self.socket, LeaseMessage(elsewhere=now))
            told = now
            # Hands that rest are told by no one.
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._hands.wait(), RESTING if now else None)
            self._hands.clear()

    async def _say_goodbye(self) -> None:
        """Say that the character was deleted, and let the page go: what it has in hand is of no one any more."""
        await self._gone.wait()
        await send(self.socket, GoneMessage(detail=GONE))
        await self.socket.close(4404)
        await asyncio.Event().wait()

    async def _tell_version(self, version: Version, seq: int | None) -> None:
        state = await run_in_threadpool(character_state, version)
        await send(self.socket, VersionMessage(seq=seq, state=state))

    async def _tell_work(self) -> None:
        """Say how long work on the character goes: what is under way now, and each step of it."""
        works = Jobs(self.bench).list
        character_id = self.desk.opened.revision.character_id
        told: dict[str, Work] = {}
        while True:
            found = await run_in_threadpool(works.of_character, character_id, list(told))
            for work in found:
                if told.get(work.id) != work:
                    await send(self.socket, job_message(work))
            told = {work.id: work for work in found if work.is_under_way or work.state == OFFERED}
            await self._work.wait()
            self._work.clear()
