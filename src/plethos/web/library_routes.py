"""Routes of the Library: characters in, listed, renamed, deleted and brought back."""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import Annotated

from fastapi import APIRouter, File, HTTPException, Query, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool

from plethos.core.formats.files import main_files
from plethos.service.schemas.character import Brought, LibraryEntry, Rename
from plethos.service.told.answers import library_entry
from plethos.web.answered import PICTURE, kept_picture
from plethos.web.context import Bench, Limits, ReadingBench

router = APIRouter(prefix="/api/characters", tags=["library"])


@router.get("")
def characters(bench: Bench, removed: bool = False) -> list[LibraryEntry]:
    """All characters, newest change first; with `removed` those that were deleted and can be brought back."""
    return [library_entry(r) for r in bench.library(removed)]


@router.post("", status_code=201)
def bring_in(
    bench: ReadingBench,
    limits: Limits,
    files: Annotated[list[UploadFile], File()],
    scene: Annotated[str | None, Query(max_length=200)] = None,
) -> Brought:
    """Bring in a `.glb`, a `.gltf` or a USD stage with what it refers to, an `.obj`, or a drawing as `.svg`.

    A file of several scenes is refused with their names (`which-scene`) unless one of them is said.
    """
    data: dict[str, bytes] = {}
    total = 0
    for file in files:
        content = file.file.read(limits.upload_bytes - total + 1)
        total += len(content)
        if total > limits.upload_bytes:
            megabytes = limits.upload_bytes // 1_000_000
            raise HTTPException(413, f"The file is larger than {megabytes} MB, the most that is taken in.")
        data[PurePosixPath((file.filename or "file").replace("\\", "/")).name] = content
    main = main_files(data)
    if len(main) != 1:
        raise HTTPException(422, "Drop one .glb, .obj or .svg, or one .gltf or .usd together with the files it needs.")
    character_id = bench.bring_in(main[0], data[main[0]], {n: d for n, d in data.items() if n != main[0]}, scene=scene)
    opened = bench.open(character_id)
    return Brought(id=character_id, name=opened.revision.name, repairs=list(opened.bare.repairs))


@router.patch("/{character_id}")
def rename(bench: Bench, character_id: str, body: Rename) -> LibraryEntry:
    """Give a character another name."""
    return library_entry(bench.rename(character_id, body.name).revision)


@router.get("/{character_id}/picture", response_class=Response)
def picture(bench: Bench, character_id: str) -> Response:
    """What the library shows of a character, as a page has drawn it."""
    return kept_picture(bench.picture(character_id))


@router.put("/{character_id}/picture", status_code=204, openapi_extra={"requestBody": PICTURE})
async def set_picture(bench: Bench, request: Request, character_id: str) -> None:
    """Keep a picture of a character, a PNG or WebP."""
    await run_in_threadpool(bench.set_picture, character_id, await request.body())


@router.delete("/{character_id}", status_code=204)
def remove(bench: Bench, character_id: str) -> None:
    """Delete a character; it is kept with its history and can be brought back."""
    bench.remove(character_id)


@router.post("/{character_id}/restore")
def restore(bench: Bench, character_id: str) -> LibraryEntry:
    """Bring a deleted character back as it was."""
    return library_entry(bench.restore(character_id))


@router.post("/{character_id}/erase", status_code=204)
def erase(bench: Bench, character_id: str) -> None:
    """Delete a deleted character and its history for good."""
    bench.erase(character_id)
