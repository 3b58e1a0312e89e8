"""Workpieces kept by content, within budgets. A cache may be emptied at any time; nothing is lost but time."""

from __future__ import annotations

import os
import pickle
import tempfile
from collections import OrderedDict, deque
from collections.abc import Iterable
from pathlib import Path
from typing import Protocol
from weakref import WeakValueDictionary

from tectogon.budget import watching
from tectogon.route.keys import Keys, regions_key
from tectogon.route.weight import weight
from tectogon.workpiece.model import Drawing, Workpiece

MEMORY_BUDGET = 300_000_000
"""Bytes of workpieces that one process keeps, as weighed: what the system sees is about 1.7 times that."""


_TRIMMED_EVERY = 5
"""Workpieces are weighed after so many, as weighing takes longer than keeping."""


def _drawing_keys(keys: Keys, workpiece: Workpiece) -> dict[str, str]:
    """The key of each sheet's drawing, by the sheet's name."""
    planes = {sheet: workpiece.on_sheet(sheet).planes for sheet in workpiece.sheet_names}
    return {sheet: regions_key(keys.linework(sheet), tuple(p.curves for p in those)) for sheet, those in planes.items()}


class Store(Protocol):
    """Where workpieces are kept, by the key of the card up to them; drawings by the key of their regions."""

    def get(self, key: str) -> Workpiece | None:
        """The workpiece of a key, if it is kept."""
        ...

    def put(self, keys: Keys, workpiece: Workpiece) -> None:
        """Keep a workpiece under its keys."""
        ...

    def trim(self) -> None:
        """Let go of what does not fit into its budget."""
        ...


class MemoryStore:
    """The last few workpieces, in this process: as many as fit into the budget, and always the newest."""

    def __init__(self, budget: int = MEMORY_BUDGET) -> None:
        self.budget = budget
        self._fresh: list[Workpiece] = []
        """Put since it was weighed last."""
        self._at_most = 0
        """What is kept weighs no more than this, without the fresh ones."""
        self.kept: OrderedDict[str, Workpiece] = OrderedDict()

    def get(self, key: str) -> Workpiece | None:
        """The workpiece of a key, if it is kept; it counts as the newest from now on."""
        found = self.kept.get(key)
        if found is not None:
            self.kept.move_to_end(key)
        return found

    def put(self, keys: Keys, workpiece: Workpiece) -> None:
        """Keep a workpiece as the newest; now and then let go of those that do not fit beside it."""
        self.kept[keys.whole] = workpiece
        self.kept.move_to_end(keys.whole)
        self._fresh.append(workpiece)
        if len(self._fresh) >= _TRIMMED_EVERY:
            self.trim()

    def trim(self) -> None:
        """Let go of the oldest that do not fit. What several workpieces share, a drawing or a body, counts once; so
        all are weighed together, but only where the fresh ones might be too many."""
        seen: set[int] = set()
        self._at_most += sum(weight(workpiece, seen) for workpiece in self._fresh)
        self._fresh.clear()
        if self._at_most <= self.budget:
            return
        seen, total = set(), 0
        for n, (_, workpiece) in enumerate(reversed(self.kept.items())):
            more = weight(workpiece, seen)
            if n and total + more > self.budget:
                for _ in range(len(self.kept) - n):
                    self.kept.popitem(last=False)
                break
            total += more
        self._at_most = total

    def clear(self) -> None:
        """Let go of everything."""
        self.kept.clear()
        self._fresh.clear()
        self._at_most = 0


class DiskStore:
    """Workpieces as files in a folder that only this program writes, behind a memory of the last few.

    A drawing is written once, however many steps build on it. With `late`, drawings are written by `flush`, so that who
    waits for an answer need not wait for them; that may run in a thread, as it touches nothing of the kernel's. A file
    that can't be written, on a full disk, is left.
    """

    def __init__(self, folder: Path, memory: MemoryStore | None = None, *, late: bool = False) -> None:
        self.folder = folder
        self.memory = memory or MemoryStore()
        self.late = late
        self.waiting: deque[tuple[str, Drawing]] = deque(maxlen=16)
        self._drawings: WeakValueDictionary[str, Drawing] = WeakValueDictionary()

    def get(self, key: str) -> Workpiece | None:
        """The workpiece of a key, from memory or from the folder; None where it, or one of its drawings, is not
        there."""
        found = self.memory.get(key)
        if found is not None:
            return found
        kept = self._load(f"{key}.workpiece")
        if not isinstance(kept, tuple):
            return None
        keys, bare = kept
        drawings = {sheet: self._drawing(key) for sheet, key in _drawing_keys(keys, bare).items()}
        there = {sheet: drawing for sheet, drawing in drawings.items() if drawing is not None}
        if len(there) < len(drawings):
            return None
        whole = bare.with_drawings(there)
        self.memory.put(keys, whole)
        return whole

    def _drawing(self, key: str) -> Drawing | None:
        found = self._drawings.get(key) or self._load(f"{key}.drawing")
        if not isinstance(found, Drawing):
            return None
        self._drawings[key] = found
        return found

    def put(self, keys: Keys, workpiece: Workpiece) -> None:
        """Keep a workpiece in memory and in the folder, its drawings beside it under keys of their own."""
        self.memory.put(keys, workpiece)
        called = _drawing_keys(keys, workpiece)
        drawings = {called[sheet]: drawing for sheet, drawing in workpiece.drawings.items()}
        self._drawings.update(drawings)
        bare = workpiece.with_drawings(dict.fromkeys(workpiece.sheet_names, Drawing()))
        kept_or_left(self.folder / f"{keys.whole}.workpiece", pickle.dumps((keys, bare), 5))
        known = {waits for waits, _ in self.waiting}
        self.waiting.extend((key, drawing) for key, drawing in drawings.items() if key not in known)
        if not self.late:
            self.flush()

    def flush(self) -> None:
        """Write the drawings that wait to be written."""
        while self.waiting:
            key, drawing = self.waiting.popleft()
            path = self.folder / f"{key}.drawing"
            if not path.exists():
                with watching() as clock:
                    _ = drawing.regions
                if not clock.mattered:
                    kept_or_left(path, pickle.dumps(drawing, 5))

    def trim(self) -> None:
        """Let go of what does not fit into memory."""
        self.memory.trim()

    def clear(self) -> None:
        """Let go of everything in memory."""
        self.waiting.clear()
        self.memory.clear()

    def _load(self, name: str) -> object:
        try:
            data = (self.folder / name).read_bytes()
            os.utime(self.folder / name)  # when it was last of use, for those who make room
            return pickle.loads(data)  # noqa: S301  (a file of our own cache)
        except Exception:
            return None


def kept_or_left(path: Path, data: bytes) -> bool:
    """Write a file that can be done without; whether there was room for it."""
    try:
        write_whole(path, data)
    except OSError:
        return False
    return True


def write_whole(path: Path, data: bytes) -> None:
    """Write a file all at once: it is there complete or not at all, and a failure leaves nothing behind. Raises
    OSError."""
    write_chunks(path, (data,))


def write_chunks(path: Path, chunks: Iterable[bytes]) -> None:
    """The same for bytes that come in pieces."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix="tmp-")
    try:
        with os.fdopen(handle, "wb") as stream:
            for chunk in chunks:
                stream.write(chunk)
        Path(temporary).replace(path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
