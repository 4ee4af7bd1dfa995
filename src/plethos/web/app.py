"""The application: routes, security, the shipped front end and the API's own documentation."""

from __future__ import annotations

import contextlib
import os
from collections.abc import AsyncIterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse, HTMLResponse
from fastapi.staticfiles import StaticFiles

from plethos import __version__
from plethos.service.jobs.worker import Worker
from plethos.service.library.notices import Notices
from plethos.service.library.workbench import Workbench
from plethos.store.repository import Store
from plethos.web import (
    bind_routes,
    character_routes,
    chart_routes,
    drawing_routes,
    job_routes,
    joint_routes,
    library_routes,
    live_socket,
    motion_routes,
    past_routes,
    problems,
    rule_routes,
    sculpt_routes,
    shape_routes,
    stress_routes,
    surface_routes,
)
from plethos.web.context import Settings
from plethos.web.openapi import with_socket_messages
from plethos.web.security import LoopbackOnly
from plethos.web.turns import Turns

ENVELOPE = 1_000_000  # bytes that an upload may have beside its files
FRAMES = 4  # threads that do nothing but work out frames
STROKES = 2  # and those that touch the skin
FRONT = Path(__file__).parents[3] / "frontend" / "dist"

DOCS = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Plethos API</title>
<link rel="stylesheet" href="/api-docs/swagger-ui.css"></head><body><div id="swagger-ui"></div>
<script src="/api-docs/swagger-ui-bundle.js"></script><script src="/api-docs/start.js"></script></body></html>"""


def create_app(store: Store, settings: Settings | None = None, front: Path = FRONT) -> FastAPI:
    """The application on a migrated database."""

    settings = settings or Settings()
    bench = Workbench(store)
    notices = Notices(bench)
    worker = Worker(bench)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.turns = Turns()
        frames, strokes = ThreadPoolExecutor(FRAMES, "frames"), ThreadPoolExecutor(STROKES, "strokes")
        with frames as app.state.frames, strokes as app.state.strokes:
            async with notices.listening():
                with worker.tending() if settings.workers_elsewhere else contextlib.nullcontext():
                    async with contextlib.nullcontext() if settings.workers_elsewhere else worker.working():
                        yield
        store.close()

    app = FastAPI(
        title="Plethos",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        lifespan=lifespan,
        max_body_size=settings.upload_bytes + ENVELOPE,
    )
    app.state.bench, app.state.notices = bench, notices
    app.state.settings = settings
    problems.install(app)
    for routes in (
        library_routes, character_routes, rule_routes, joint_routes, bind_routes, sculpt_routes, motion_routes,
        shape_routes, drawing_routes, chart_routes, surface_routes,
        past_routes, stress_routes, job_routes, live_socket,
    ):  # fmt: skip
        app.include_router(routes.router)
    app.include_router(joint_routes.ranges)
    with_socket_messages(app)

    @app.get("/api/health", tags=["server"])
    def health() -> dict[str, str]:
        """Whether the server and its database answer."""
        store.ping()
        return {"status": "ready", "version": __version__}

    @app.get("/docs", include_in_schema=False)
    def docs() -> HTMLResponse:
        return HTMLResponse(DOCS)

    if front.is_dir():
        _serve_front(app, front)
    app.add_middleware(LoopbackOnly, origins=tuple(filter(None, [os.environ.get("PLETHOS_DEV_ORIGIN")])))
    return app


def _serve_front(app: FastAPI, front: Path) -> None:
    app.mount("/assets", StaticFiles(directory=front / "assets"), name="assets")
    app.mount("/api-docs", StaticFiles(directory=front / "api-docs"), name="api-docs")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            return problems.problem(404, "Not there", "There is nothing at this address.")
        return FileResponse(front / "index.html", headers={"Cache-Control": "no-cache"})
