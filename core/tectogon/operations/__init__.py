"""What can be done to a workpiece: one module an operation, all of one shape.

Glossary
    operation: one recorded step: a kind, its parameters, its picks; a pure function Workpiece → Workpiece.
    workpiece: what the operations have made so far. Immutable, always computed.
    sentence: an operation in words, its values marked, so that it can be read and edited in place.
    pick: the id of something with a small fingerprint, so that it can be found again on a changed drawing.

Adding an operation is adding a module with a `KIND`, and its line in registry.py.
"""

from tectogon.operations.registry import KINDS, kind_named
from tectogon.operations.workpiece import Drawing, Workpiece

__all__ = ["KINDS", "Drawing", "Workpiece", "kind_named"]
