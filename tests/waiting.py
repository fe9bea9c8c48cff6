"""How long tests wait for what must come.

None of them measures time, as the machine may be busy with other things: this long, something
hangs.
"""

from __future__ import annotations

PATIENCE = 900.0     # s
PATIENCE_MS = 600e3  # for what a page shows
