"""The web server: ``python -m server.serve``.

Its threads stay, and so do their database connections.
"""

from __future__ import annotations

import threading

import waitress

from server import config
from server.wsgi import application

THREADS = 8


def _warm() -> None:
    """Loads the compiled kernels and measures this machine before the first person asks."""
    from heron.checks import examine
    from server.projects.library import example

    examine(example("mast-dipole"))


def main() -> None:
    threading.Thread(target=_warm, daemon=True).start()
    waitress.serve(
        application, host="127.0.0.1", port=config.load().port, threads=THREADS, ident=None
    )


if __name__ == "__main__":
    main()
