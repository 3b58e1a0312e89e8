"""The workpiece, and what operations share in reading and changing it: parameters, sentences, picks found again,
linework made and moved.

Glossary
    workpiece: what the operations have made so far: drawing, views and planes, bodies. Immutable, always computed.
    parameter: a value of a step, kept as typed, in stable codes.
    token: a bit of a step's sentence.
"""
