"""Results kept by content: the key of a step is made from all steps and sources up to it, so a key never goes stale.

A cache may be emptied at any time; nothing is lost but time.
"""

from __future__ import annotations

import hashlib
import json
import os
import pickle
import tempfile
from collections import OrderedDict, deque
from dataclasses import replace
from pathlib import Path
from typing import Protocol

from tectogon import __version__
from tectogon.operations.workpiece import Drawing, Workpiece
from tectogon.route.card import Card, Step


class Store(Protocol):
    """Where workpieces are kept, by the key of the card up to them; drawings by the key of the steps that draw."""

    def get(self, key: str) -> Workpiece | None: ...

    def put(self, key: str, drawing_key: str, workpiece: Workpiece) -> None: ...


class MemoryStore:
    """The last few workpieces, in this process."""

    def __init__(self, most: int = 40) -> None:
        self.most = most
        self.kept: OrderedDict[str, Workpiece] = OrderedDict()

    def get(self, key: str) -> Workpiece | None:
        found = self.kept.get(key)
        if found is not None:
            self.kept.move_to_end(key)
        return found

    def put(self, key: str, drawing_key: str, workpiece: Workpiece) -> None:
        self.kept[key] = workpiece
        self.kept.move_to_end(key)
        while len(self.kept) > self.most:
            self.kept.popitem(last=False)


class DiskStore:
    """Workpieces as files in a folder that only this program writes, behind a memory of the last few.

    A drawing is written once, however many steps build on it. With `late`, drawings are written by `flush`, so that who waits for an answer
    need not wait for them; that may run in a thread, as it touches nothing of the kernel's.
    """

    def __init__(self, folder: Path, memory: MemoryStore | None = None, *, late: bool = False) -> None:
        self.folder = folder
        self.memory = memory or MemoryStore()
        self.drawings: OrderedDict[str, Drawing] = OrderedDict()
        self.late = late
        self.waiting: deque[tuple[str, Drawing]] = deque(maxlen=50)

    def get(self, key: str) -> Workpiece | None:
        found = self.memory.get(key)
        if found is not None:
            return found
        kept = self._load(f"{key}.workpiece")
        if not isinstance(kept, tuple):
            return None
        drawing_key, bare = kept
        drawing = self.drawings.get(drawing_key) or self._load(f"{drawing_key}.drawing")
        if not isinstance(drawing, Drawing):
            return None
        self._remember(drawing_key, drawing)
        whole = replace(bare, drawing=drawing)
        self.memory.put(key, drawing_key, whole)
        return whole

    def put(self, key: str, drawing_key: str, workpiece: Workpiece) -> None:
        self.memory.put(key, drawing_key, workpiece)
        self._remember(drawing_key, workpiece.drawing)
        write_whole(self.folder / f"{key}.workpiece", pickle.dumps((drawing_key, replace(workpiece, drawing=Drawing())), 5))
        if not any(waits == drawing_key for waits, _ in self.waiting):
            self.waiting.append((drawing_key, workpiece.drawing))
        if not self.late:
            self.flush()

    def flush(self) -> None:
        """Write the drawings that wait to be written."""
        while self.waiting:
            key, drawing = self.waiting.popleft()
            path = self.folder / f"{key}.drawing"
            if not path.exists():
                _ = drawing.regions
                write_whole(path, pickle.dumps(drawing, 5))

    def _remember(self, key: str, drawing: Drawing) -> None:
        self.drawings[key] = drawing
        while len(self.drawings) > 4:
            self.drawings.popitem(last=False)

    def _load(self, name: str) -> object:
        try:
            return pickle.loads((self.folder / name).read_bytes())  # noqa: S301  (a file of our own cache)
        except Exception:
            return None


def write_whole(path: Path, data: bytes) -> None:
    """Write a file all at once: it is there complete or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(dir=path.parent)
    with os.fdopen(handle, "wb") as stream:
        stream.write(data)
    Path(temporary).replace(path)


def first_key() -> str:
    return hashlib.blake2b(f"tectogon {__version__} 13".encode(), digest_size=16).hexdigest()


def next_key(key: str, step: Step, sources: dict[str, str]) -> str:
    """The key after a step; a step that is off changes nothing."""
    if not step.on:
        return key
    text = json.dumps([key, step.number, step.kind, step.params, sources.get(str(step.params.get("source")))], sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def key_of(card: Card) -> str:
    """The key of a whole card."""
    key = first_key()
    for step in card.steps:
        key = next_key(key, step, card.sources)
    return key
