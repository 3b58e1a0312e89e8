"""The solid kernel behind one door: only modules of this room import it.

Glossary
    body: one solid, with a key that stays, and a name for every face.
    prism: a flat face moved straight along its normal.
    proof: the checks a body passes before it is shown (proof.py).
"""
