"""The project document: pydantic models for every step, evaluation to SI, migration of old
versions.
"""

from heron.model.document import VERSION, Document, load_document
from heron.model.evaluation import Evaluated, evaluate_document

__all__ = ["VERSION", "Document", "Evaluated", "evaluate_document", "load_document"]
