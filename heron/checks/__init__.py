"""What is judged before and after a run: preflight, forecast, trust."""

from heron.checks.preflight import Examination, Problem, examine, examine_model
from heron.checks.trust import TrustItem, trust_card

__all__ = ["Examination", "Problem", "TrustItem", "examine", "examine_model", "trust_card"]
