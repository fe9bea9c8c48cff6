"""What is judged before and after a run: preflight, forecast, trust."""

from heron.checks.preflight import (
    Examination,
    Held,
    examine,
    examine_model,
    held_to,
    judged_for,
)
from heron.checks.trust import trust_card
from heron.problems import Problem
from heron.results.capabilities import TrustItem

__all__ = [
    "Examination",
    "Held",
    "Problem",
    "TrustItem",
    "examine",
    "examine_model",
    "held_to",
    "judged_for",
    "trust_card",
]
