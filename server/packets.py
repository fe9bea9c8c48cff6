"""Arrays as binary: a length, a JSON header, then little-endian float32 arrays one after another,
4-byte aligned.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np
from django.http import HttpResponse
from numpy.typing import NDArray


def packet(header: dict[str, Any], **arrays: NDArray[Any]) -> HttpResponse:
    """``header`` plus the names and shapes of the arrays."""
    flat = {n: np.ascontiguousarray(a, dtype="<f4") for n, a in arrays.items()}
    text = json.dumps(
        {**header, "arrays": [{"name": n, "shape": list(a.shape)} for n, a in flat.items()]},
        allow_nan=False,
    ).encode()
    text += b" " * (-len(text) % 4)
    return sent(struct.pack("<I", len(text)) + text + b"".join(a.tobytes() for a in flat.values()))


def sent(body: bytes) -> HttpResponse:
    """A packet as an answer."""
    return HttpResponse(body, content_type="application/octet-stream")
