"""Errors as problem details (RFC 9457): the core's sentences, unchanged."""

from __future__ import annotations

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DataError, OperationalError
from starlette.exceptions import HTTPException

from plethos.core.errors import BadFileError, JointNeededError, PlethosError, WhichSceneError
from plethos.service.library.lease import BeingEditedError
from plethos.service.library.open_character import NotThereError
from plethos.store.faults import fault_of
from plethos.web.turns import GoneError, TooMuchAskedError

TOO_LARGE = "That is larger than what is taken in at once; nothing of it was kept."
log = structlog.get_logger()


def problem(status: int, title: str, detail: str, kind: str = "about:blank", **more: object) -> JSONResponse:
    """A problem response; `kind` and `more` are for what a page offers a way out of."""
    body = {"type": kind, "title": title, "status": status, "detail": detail, **more}
    return JSONResponse(body, status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Answer every kind of error with a problem."""

    @app.exception_handler(PlethosError)
    async def ours(request: Request, error: PlethosError) -> JSONResponse:
        if isinstance(error, NotThereError):
            return problem(404, "Not there", error.sentence)
        if isinstance(error, TooMuchAskedError):
            return problem(429, "Too much at once", error.sentence)
        if isinstance(error, BeingEditedError):
            return problem(423, "In other hands", error.sentence)
        if isinstance(error, JointNeededError):
            return problem(409, "Still needed", error.sentence, "joint-needed")
        if isinstance(error, WhichSceneError):
            return problem(422, "Which scene", error.sentence, "which-scene", scenes=list(error.scenes))
        status = 422 if isinstance(error, BadFileError) else 409
        return problem(status, "This did not work", error.sentence)

    @app.exception_handler(GoneError)
    async def gone(request: Request, error: GoneError) -> JSONResponse:
        return problem(499, "Nobody waits", "Whoever asked has gone away.")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = " ".join(str(p) for p in first["loc"] if p != "body") or "The request"
        return problem(422, "This does not fit", f"{place}: {first['msg']}.")

    @app.exception_handler(HTTPException)
    async def plain(request: Request, error: HTTPException) -> JSONResponse:
        detail = TOO_LARGE if error.detail == "Content Too Large" else str(error.detail)
        return problem(error.status_code, "Not possible", detail)

    @app.exception_handler(DataError)
    async def no_text(request: Request, error: DataError) -> JSONResponse:
        return problem(404, "Not there", "There is nothing of that name: it holds signs that are no text.")

    @app.exception_handler(OperationalError)
    async def database(request: Request, error: OperationalError) -> JSONResponse:
        log.error("database away", path=request.url.path)
        return problem(503, "The database is away", f"{fault_of(error)} Nothing was changed; then try again.")

    @app.exception_handler(Exception)
    async def unforeseen(request: Request, error: Exception) -> JSONResponse:
        log.exception("unforeseen", path=request.url.path)
        return problem(500, "Something went wrong", "Something went wrong in the server; nothing was changed.")
