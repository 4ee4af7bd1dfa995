"""The table of blobs: put in once each, as what differs from another where that is little, and read back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plethos.store.blobs import squeeze, unsqueeze
from plethos.store.models import Blob

Like = tuple[str, bytes]
"""The hash and the bytes of a blob that another is much like."""
DEEPEST = 48  # blobs that are read for one: a whole one now and then
LITTLE = 0.25  # of its bytes: what differs in more stands by itself


def put_blobs(
    session: Session,
    blobs: Mapping[str, bytes],
    like: Mapping[str, Like] | None = None,
    named: Iterable[str] = (),
) -> set[str]:
    """Keep what is not kept yet, and hold on to what is until the transaction ends.

    Parameters
    ----------
    like
        By hash: what a blob is much like, which is stored already.
    named
        More hashes of blobs that have to be there.

    Returns
    -------
    set
        Those of `named` that are not.
    """
    like, named = like or {}, set(named)
    asked = {*blobs, *named, *(base for base, _ in like.values())}
    if not asked:
        return set()
    rows = select(Blob.hash, Blob.depth).where(Blob.hash.in_(asked)).with_for_update(read=True, key_share=True)
    known = dict(session.execute(rows).tuples().all())
    for name, data in blobs.items():
        if name in known:
            continue
        kept: dict[str, Any] = {"base": None, "depth": 0}
        base, there = like.get(name, ("", b""))
        depth = known.get(base, DEEPEST) + 1
        if depth <= DEEPEST and len(differs := squeeze(data, there)) < LITTLE * len(data):
            kept = {"data": differs, "base": base, "depth": depth}
        else:
            kept["data"] = squeeze(data)
        session.execute(insert(Blob).values(hash=name, size=len(data), **kept).on_conflict_do_nothing())
    return named - known.keys() - blobs.keys()


def read_blobs(session: Session, hashes: Iterable[str]) -> dict[str, bytes]:
    """The bytes under some hashes, in one go; those that are not there are left out."""
    wanted = list(hashes)
    columns = (Blob.hash, Blob.data, Blob.base, Blob.depth)
    chain = select(*columns).where(Blob.hash.in_(wanted)).cte(recursive=True)
    under = select(*columns).join(chain, Blob.hash == chain.c.base)
    found = select(chain.union(under)).order_by(text("depth"))
    known: dict[str | None, bytes] = {}
    for name, data, base, _ in session.execute(found, execution_options={"binary": True}):
        known[name] = unsqueeze(data, known.get(base))  # what others stand on comes first
    return {name: known[name] for name in wanted if name in known}
