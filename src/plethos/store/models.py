"""The tables.

A character is a file (a blob), and a line of revisions. A revision is a whole small document (rules, sculpt in
progress) whose arrays are blobs, so that undo is a step of the head and nothing is ever worked out backwards. What was
undone and then overwritten by another edit is kept, out of the line.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, Float, ForeignKey, Integer, LargeBinary, String, Text, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """The metadata that the migrations compare with."""


class Blob(Base):
    """Bytes under the hash of what they hold; compressed, written once.

    What is much like another blob is stored as what differs from that, which may be stored so too: `depth` steps down
    to one that stands by itself.
    """

    __tablename__ = "blobs"
    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    base: Mapped[str | None] = mapped_column(ForeignKey("blobs.hash"), default=None)
    depth: Mapped[int] = mapped_column(Integer, default=0)


class CharacterRow(Base):
    """A character in the library."""

    __tablename__ = "characters"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    file_hash: Mapped[str] = mapped_column(ForeignKey("blobs.hash"))
    picture_hash: Mapped[str | None] = mapped_column(ForeignKey("blobs.hash"), default=None)
    demo: Mapped[bool] = mapped_column(default=False)
    head_id: Mapped[str | None] = mapped_column(String(32), default=None)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    changed_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    removed_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)


class RevisionRow(Base):
    """What a character was after one edit. Its number is only its place in the list: two may have had the same.

    `names` are the keys of the blobs that its document names: see `blobs.keys_of`.
    """

    __tablename__ = "revisions"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    character_id: Mapped[str] = mapped_column(ForeignKey("characters.id", ondelete="CASCADE"))
    number: Mapped[int] = mapped_column(Integer)
    parent: Mapped[str | None] = mapped_column(String(32), default=None)
    overwritten: Mapped[bool] = mapped_column(default=False)
    label: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    names: Mapped[bytes] = mapped_column(LargeBinary)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class NamedRevisionRow(Base):
    """A name that somebody gave the state of a character: it is kept, however its history is thinned."""

    __tablename__ = "named_revisions"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    character_id: Mapped[str] = mapped_column(ForeignKey("characters.id", ondelete="CASCADE"))
    revision_id: Mapped[str] = mapped_column(ForeignKey("revisions.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    picture_hash: Mapped[str | None] = mapped_column(ForeignKey("blobs.hash"), default=None)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class WorkRow(Base):
    """A piece of long work, or a part of one, and how far it has got: see `work.Work`."""

    __tablename__ = "work"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    character_id: Mapped[str] = mapped_column(ForeignKey("characters.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(40))
    arguments: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    revision_id: Mapped[str | None] = mapped_column(String(32), default=None)
    page: Mapped[str | None] = mapped_column(String(64), default=None)
    parent_id: Mapped[str | None] = mapped_column(ForeignKey("work.id", ondelete="CASCADE"), default=None)
    part: Mapped[int] = mapped_column(Integer, default=0)
    state: Mapped[str] = mapped_column(String(12))
    share: Mapped[float] = mapped_column(Float, default=0.0)
    detail: Mapped[str | None] = mapped_column(Text, default=None)
    unwanted: Mapped[bool] = mapped_column(default=False)
    owner: Mapped[str | None] = mapped_column(String(32), default=None)
    attempts: Mapped[int] = mapped_column(Integer, default=0)
    beat_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True), default=None)
    asked_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class ReportRow(Base):
    """What a piece of work came to: a document whose arrays are blobs, as a revision's."""

    __tablename__ = "reports"
    work_id: Mapped[str] = mapped_column(ForeignKey("work.id", ondelete="CASCADE"), primary_key=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    names: Mapped[bytes] = mapped_column(LargeBinary)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class SweptWayRow(Base):
    """What was measured on one way of a character's sweep.

    `reads` tells what it depends on: as long as that stays, so does what was measured. `before` is what the run before
    came to.
    """

    __tablename__ = "swept_ways"
    character_id: Mapped[str] = mapped_column(ForeignKey("characters.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(Text, primary_key=True)
    reads: Mapped[str] = mapped_column(String(64))
    revision_id: Mapped[str] = mapped_column(String(32))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    before: Mapped[dict[str, Any] | None] = mapped_column(JSONB, default=None)
    measured_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class SpotWordRow(Base):
    """Why somebody accepts a trouble spot as it is."""

    __tablename__ = "spot_words"
    character_id: Mapped[str] = mapped_column(ForeignKey("characters.id", ondelete="CASCADE"), primary_key=True)
    spot_id: Mapped[str] = mapped_column(Text, primary_key=True)
    reason: Mapped[str] = mapped_column(Text)
    said_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
