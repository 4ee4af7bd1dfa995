"""The API's description: that of the routes, and the messages of the live socket, which FastAPI leaves out."""

from __future__ import annotations

from typing import Any, get_args

from fastapi import FastAPI
from pydantic.json_schema import models_json_schema

from plethos.service.schemas import live

# Every member of the two unions, and what stands at the head of a frame.
MESSAGES = (*get_args(get_args(live.Said)[0]), live.FrameHead, *get_args(get_args(live.Told)[0]))


def with_socket_messages(app: FastAPI) -> None:
    """Let the application's OpenAPI document hold the socket's messages too, so that clients have them typed."""
    plain = app.openapi

    def described() -> dict[str, Any]:
        document = plain()
        schemas = document.setdefault("components", {}).setdefault("schemas", {})
        _, own = models_json_schema(
            [(m, "serialization") for m in MESSAGES], ref_template="#/components/schemas/{model}"
        )  # fmt: skip
        for name, schema in own["$defs"].items():
            schemas.setdefault(name, schema)
        return document

    app.openapi = described  # type: ignore[method-assign]
