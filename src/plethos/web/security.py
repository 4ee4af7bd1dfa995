"""Who may talk to the server: this machine's own browser, on our own pages.

The server listens on loopback, but any page in the user's browser can send requests there. So a request or
a socket must name us as its host (or it came by a name that an attacker points here), and must not come from another
page. Pages may load nothing but our own files.
"""

from __future__ import annotations

import re

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

OURS = re.compile(r"(127\.0\.0\.1|localhost)(:\d{1,5})?")
POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",  # Element Plus and Vue place style attributes
        "font-src 'self'",
        "img-src 'self' data: blob:",
        "connect-src 'self'",
        "base-uri 'none'",
        "form-action 'none'",
        "frame-ancestors 'none'",
    )
)


class LoopbackOnly:
    """ASGI middleware: refuses foreign hosts and origins, adds the content security policy."""

    def __init__(self, app: ASGIApp, origins: tuple[str, ...] = ()) -> None:
        self.app = app
        self.extra_origins = origins

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        fault = None
        if not OURS.fullmatch(host):
            fault = "This server only answers under its own address on this machine."
        origin = headers.get("origin")
        if origin is not None and origin != f"http://{host}" and origin not in self.extra_origins:
            fault = "This request came from another page and is refused."
        foreign = scope["type"] == "http" and headers.get("sec-fetch-site") == "cross-site"
        followed_a_link = headers.get("sec-fetch-mode") == "navigate" and scope.get("method") == "GET"
        if foreign and not followed_a_link:
            fault = "This request came from another page and is refused."
        if fault is not None:
            await self._refuse(scope, receive, send, fault)
            return

        async def send_with_policy(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                out["Content-Security-Policy"] = POLICY
                out["X-Content-Type-Options"] = "nosniff"
                out["Referrer-Policy"] = "no-referrer"
                out["Cross-Origin-Resource-Policy"] = "same-origin"
            await send(message)

        await self.app(scope, receive, send_with_policy)

    async def _refuse(self, scope: Scope, receive: Receive, send: Send, fault: str) -> None:
        if scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 1008, "reason": fault})
            return
        body = {"type": "about:blank", "title": "Refused", "status": 403, "detail": fault}
        await JSONResponse(body, 403, media_type="application/problem+json")(scope, receive, send)
