"""Frames of bytes, one after the other in a file: each whole, or the file ends before it.

A frame is its length and the check sum (CRC-32, as in zlib) of what follows, four bytes each, the
least first; then one byte that says whether it is packed, and the bytes. A writer that was stopped
leaves a torn frame at the end at most: what is before it stays good.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator
from typing import IO

_HEAD = struct.Struct("<II")
_PACKED = 1000  # bytes, from which packing a frame is worth its time
_MOST = (
    2_000_000_000  # bytes of a frame once unpacked: a picture of one gigabyte with all its steps
)


def frame(data: bytes, *, pack: bool = True) -> bytes:
    """Return bytes as a frame; pictures are packed already, and need not be again."""
    packed = pack and len(data) > _PACKED
    body = bytes([1]) + zlib.compress(data, 1) if packed else bytes([0]) + data
    return _HEAD.pack(len(body), zlib.crc32(body)) + body


def frames(stream: IO[bytes], size: int) -> Iterator[tuple[int, bytes]]:
    """Yield where each frame of a stream of so many bytes begins, and what it holds.

    The last whole one ends it.
    """
    at = stream.tell()
    while at + _HEAD.size < size:
        head = stream.read(_HEAD.size)
        if len(head) < _HEAD.size:
            return
        length, check = _HEAD.unpack(head)
        if length < 1 or at + _HEAD.size + length > size:
            return
        body = stream.read(length)
        if len(body) < length or zlib.crc32(body) != check:
            return
        begin, at = at, at + _HEAD.size + length
        if body[0] == 0:
            yield begin, body[1:]
            continue
        unpacking = zlib.decompressobj()
        try:
            data = unpacking.decompress(body[1:], _MOST)
        except zlib.error:
            return
        if not unpacking.eof:
            return
        yield begin, data
