"""Processes that end with the one that started them."""

from __future__ import annotations

import os
import threading
import time

LOOK_S = 0.5  # between looks whether the parent is still there


def end_with_parent() -> None:
    """Ends this process when its parent has; the system's own signal for that comes as soon as the
    parent's thread ends, which in a pool of threads may be any time.
    """
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_S)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
