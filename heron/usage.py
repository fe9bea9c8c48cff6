"""Memory that this process takes."""

from __future__ import annotations

import resource
from pathlib import Path

STATUS, CLEAR = Path("/proc/self/status"), Path("/proc/self/clear_refs")


def forget_peak() -> None:
    """Lets the peak begin anew, where the system can (Linux: proc(5), clear_refs 5)."""
    try:
        CLEAR.write_text("5")
    except OSError:
        return


def peak_mb() -> float:
    """The most memory taken since the peak began, MiB."""
    try:
        lines = STATUS.read_text().splitlines()
        return float(next(x for x in lines if x.startswith("VmHWM:")).split()[1]) / 1024
    except (OSError, StopIteration):
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
