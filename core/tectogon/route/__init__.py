"""The route card: the document. Running it, caching what it makes, replaying it on other sources.

Glossary
    card: numbered steps, in tens; a part IS its card.
    run: what each step said and did, and the workpiece after the last.
    gauge: the one figure of a stage: is it the right size, does it close, is it solid.
"""

from tectogon.route.card import Card, Step
from tectogon.route.run import Run, StepReport, run_card

__all__ = ["Card", "Run", "Step", "StepReport", "run_card"]
