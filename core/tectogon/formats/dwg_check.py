"""Check sums of DWG files R13 to R2000, whose objects each carry one: a damaged file decodes to other numbers without a
word.

The sum is the 16-bit cyclic redundancy check with polynomial x¹⁶ + x¹⁵ + x² + 1, reflected, begun at 0xC0C1, over an
object's size and data, low byte first behind it.
"""

from __future__ import annotations

import numpy as np

from tectogon.curves.table import IntArray

VERSIONS = ("AC1012", "AC1014", "AC1015")
_BEGIN = 0xC0C1


def _table() -> IntArray:
    out = np.arange(256)
    for _ in range(8):
        out = np.where(out & 1, (out >> 1) ^ 0xA001, out >> 1)
    return out


_TABLE = _table()
_ALL = np.arange(65536)
_PAIRS = _TABLE[(_TABLE[_ALL & 0xFF] ^ (_ALL >> 8)) & 0xFF] ^ ((_TABLE[_ALL & 0xFF] ^ (_ALL >> 8)) >> 8)
"""What two bytes, taken together with the sum so far, leave of it."""


def damaged(data: bytes, offsets: IntArray, sizes: IntArray) -> IntArray:
    """Which objects (numbers into `offsets`) have bytes that their check sum does not fit. All objects are summed side
    by side."""
    body = np.frombuffer(data, np.uint8)
    head = np.where(sizes > 0x7FFF, 4, 2)
    length = sizes + head
    outside = offsets + length + 2 > len(body)
    rows = np.flatnonzero(~outside)
    rows = rows[np.argsort(-length[rows], kind="stable")]
    crc = np.full(len(rows), _BEGIN)
    at, left = offsets[rows], length[rows]
    live = len(rows)
    step = 0
    while live:  # two bytes at a time
        live = int(np.searchsorted(-left[:live], -(step + 1), side="left"))
        here = at[:live] + step
        crc[:live] = _PAIRS[crc[:live] ^ (body[here] | body[here + 1].astype(np.int64) << 8)]
        step += 2
    odd = np.flatnonzero(left % 2)
    crc[odd] = _TABLE[(crc[odd] ^ body[at[odd] + left[odd] - 1]) & 0xFF] ^ (crc[odd] >> 8)
    stored = body[at + left].astype(np.int64) | body[at + left + 1].astype(np.int64) << 8
    return np.sort(np.concatenate([np.flatnonzero(outside), rows[crc != stored]]))
