"""How long tests wait for what must come.

None of them measures time, as the machine may be busy with other things: this long, something
hangs.
"""

from __future__ import annotations

import time
from collections.abc import Callable

PATIENCE = 900.0  # s
PATIENCE_MS = 600e3  # for what a page shows


def until(true: Callable[[], bool]) -> None:
    """Returns as soon as what is asked is true.

    :raises TimeoutError: it never was.
    """
    end = time.monotonic() + PATIENCE
    while not true():
        if time.monotonic() > end:
            raise TimeoutError("what was waited for never came")
        time.sleep(0.2)
