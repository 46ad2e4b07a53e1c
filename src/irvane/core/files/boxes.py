"""Exif and XMP in formats made of boxes (ISO/IEC 14496-12): JPEG XL (18181-2) and AVIF (23008-12, items)."""

from __future__ import annotations

import struct
from collections.abc import Iterator

_XMP_KIND = b"application/rdf+xml\0"


def _box(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", 8 + len(body)) + kind + body


def _boxes(data: bytes, first: int, end: int) -> Iterator[tuple[bytes, int, int]]:
    """Kind, beginning and end of every box."""
    at = first
    while at + 8 <= end:
        size, kind = struct.unpack_from(">I4s", data, at)
        size = end - at if size == 0 else struct.unpack_from(">Q", data, at + 8)[0] if size == 1 else size
        if size < 8 or at + size > end:
            raise ValueError("a box is longer than what holds it")
        yield kind, at, at + size
        at += size


def jxl_with_metadata(data: bytes, exif: bytes, xmp: bytes) -> bytes:
    """A JPEG XL container with metadata behind its picture.

    Raises
    ------
    ValueError
        When it is no container.
    """
    if data[4:8] != b"JXL ":
        raise ValueError("this is no container of JPEG XL")
    if exif:
        data += _box(b"Exif", b"\0\0\0\0" + exif)
    return data + (_box(b"xml ", xmp) if xmp else b"")


def _entry(number: int, kind: bytes, more: bytes = b"") -> bytes:
    return _box(b"infe", b"\2\0\0\0" + struct.pack(">HH", number, 0) + kind + b"\0" + more)


def _places(body: bytes, moved: int, added: list[tuple[int, int, int]]) -> bytes:
    """An iloc box's body with its offsets moved and items added: number, offset, length."""
    version, sizes = body[0], struct.unpack_from(">H", body, 4)[0]
    offset_size, length_size, base_size = sizes >> 12, sizes >> 8 & 15, sizes >> 4 & 15
    index_size = sizes & 15 if version else 0
    if version > 1 or offset_size not in (4, 8) or length_size not in (4, 8):
        raise ValueError("places of items of an unknown form")
    count, at = struct.unpack_from(">H", body, 6)[0], 8

    def number(size: int) -> int:
        nonlocal at
        at += size
        return int.from_bytes(body[at - size : at], "big")

    made = b""
    for _ in range(count):
        head = number(2).to_bytes(2, "big") + (number(2).to_bytes(2, "big") if version else b"")
        head += number(2).to_bytes(2, "big")
        within_file = not version or head[3] & 15 == 0
        base, extents = number(base_size), number(2)
        made += head + base.to_bytes(base_size, "big") + extents.to_bytes(2, "big")
        for _ in range(extents):
            index, offset, length = number(index_size), number(offset_size), number(length_size)
            offset += moved if within_file else 0
            made += index.to_bytes(index_size, "big") + offset.to_bytes(offset_size, "big")
            made += length.to_bytes(length_size, "big")
    for item, offset, length in added:
        made += struct.pack(">H", item) + (b"\0\0" if version else b"") + b"\0\0" + bytes(base_size) + b"\0\1"
        made += bytes(index_size) + offset.to_bytes(offset_size, "big") + length.to_bytes(length_size, "big")
    return body[:6] + struct.pack(">H", count + len(added)) + made


def avif_with_metadata(data: bytes, exif: bytes, xmp: bytes) -> bytes:
    """An AVIF file with items of metadata that describe its primary picture.

    Raises
    ------
    ValueError
        When its boxes are not of the usual form.
    """
    top = list(_boxes(data, 0, len(data)))
    meta = next(((a, b) for kind, a, b in top if kind == b"meta"), None)
    if meta is None:
        raise ValueError("there is no box of metadata")
    inner = {kind: data[a + 8 : b] for kind, a, b in _boxes(data, meta[0] + 12, meta[1])}
    order = [kind for kind, _, _ in _boxes(data, meta[0] + 12, meta[1])]
    if b"iinf" not in inner or b"iloc" not in inner or inner[b"iinf"][0] != 0:
        raise ValueError("its items are not of the usual form")
    primary = struct.unpack_from(">H", inner[b"pitm"], 4)[0]
    count = struct.unpack_from(">H", inner[b"iinf"], 4)[0]
    entries = _boxes(inner[b"iinf"], 6, len(inner[b"iinf"]))
    last = max(struct.unpack_from(">H", inner[b"iinf"], a + 12)[0] for _, a, _ in entries)
    items = [(b"Exif", b"\0\0\0\0" + exif, b"")] if exif else []
    items += [(b"mime", xmp, _XMP_KIND)] if xmp else []
    numbers = range(last + 1, last + 1 + len(items))
    made = b"".join(_entry(n, kind, more) for n, (kind, _, more) in zip(numbers, items, strict=True))
    inner[b"iinf"] = inner[b"iinf"][:4] + struct.pack(">H", count + len(items)) + inner[b"iinf"][6:] + made
    described = b"".join(_box(b"cdsc", struct.pack(">HHH", n, 1, primary)) for n in numbers)
    if b"iref" not in inner:
        order.insert(order.index(b"iinf") + 1, b"iref")
    inner[b"iref"] = inner.get(b"iref", b"\0\0\0\0") + described
    plain, added = inner[b"iloc"], [(n, 0, 0) for n in numbers]
    inner[b"iloc"] = _places(plain, 0, added)
    grown = 12 + sum(8 + len(inner[kind]) for kind in order) - (meta[1] - meta[0])
    at = len(data) + grown + 8
    added = []
    for number, (_, body, _) in zip(numbers, items, strict=True):
        added.append((number, at, len(body)))
        at += len(body)
    inner[b"iloc"] = _places(plain, grown, added)
    body = data[meta[0] + 8 : meta[0] + 12] + b"".join(_box(kind, inner[kind]) for kind in order)
    whole = data[: meta[0]] + _box(b"meta", body) + data[meta[1] :]
    return whole + _box(b"mdat", b"".join(body for _, body, _ in items))
