"""What kind of picture some bytes are: those that a browser shows."""

from __future__ import annotations


def picture_type(data: bytes) -> str | None:
    """The media type of a picture, by its first bytes; None for any that a browser does not show."""
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return "image/png"
    if data.startswith(b"\xff\xd8\xff"):
        return "image/jpeg"
    return "image/webp" if data[:4] == b"RIFF" and data[8:12] == b"WEBP" else None
