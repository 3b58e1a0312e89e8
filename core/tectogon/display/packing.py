"""A parcel: a JSON head and arrays behind it, in one run of bytes that a browser reads without copying.

4 bytes  length of the head, little-endian
head     JSON: {"facts": ..., "arrays": {name: {"dtype", "shape", "offset"}}}, padded to a multiple of 8
arrays   little-endian, each beginning at a multiple of 8 behind the head
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np


def pack(facts: dict[str, Any], arrays: dict[str, Any]) -> bytes:
    """Facts and arrays as one parcel."""
    table: dict[str, Any] = {}
    chunks: list[bytes] = []
    at = 0
    for name, values in arrays.items():
        data = np.ascontiguousarray(values)
        raw = data.astype(data.dtype.newbyteorder("<")).tobytes()
        table[name] = {"dtype": data.dtype.name, "shape": list(data.shape), "offset": at}
        padded = raw + b"\0" * (-len(raw) % 8)
        chunks.append(padded)
        at += len(padded)
    head = json.dumps({"facts": facts, "arrays": table}, separators=(",", ":"), allow_nan=False).encode()
    head += b" " * (-(len(head) + 4) % 8)
    return struct.pack("<I", len(head)) + head + b"".join(chunks)


def unpack(data: bytes) -> tuple[dict[str, Any], dict[str, Any]]:
    """The facts and arrays of a parcel."""
    (length,) = struct.unpack_from("<I", data)
    head = json.loads(data[4 : 4 + length])
    base = 4 + length
    arrays = {}
    for name, entry in head["arrays"].items():
        dtype = np.dtype(entry["dtype"]).newbyteorder("<")
        count = int(np.prod(entry["shape"]))
        arrays[name] = np.frombuffer(data, dtype, count, base + entry["offset"]).reshape(entry["shape"])
    return head["facts"], arrays
