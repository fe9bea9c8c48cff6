"""Entry point of the web server."""

import os
import threading

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
os.environ.setdefault("ODD_HERON_DATABASE_POOL", "1")
application = get_asgi_application()


def _warm() -> None:
    """Loads the compiled kernels and measures this machine before the first person asks."""
    from heron.checks import examine
    from server.projects.library import example

    examine(example("mast-dipole"))


threading.Thread(target=_warm, daemon=True).start()
