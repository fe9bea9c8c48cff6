"""The web server: ``python -m server.serve``.

Its threads stay, and so do their database connections.
"""

from __future__ import annotations

import os
from typing import Any

import waitress

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")

from server import config
from server.looking import pool
from server.wsgi import application

THREADS = 8


def options(settings: config.Config) -> dict[str, Any]:
    """How the web server listens; behind a proxy, whose word it takes on scheme and client."""
    own = {"host": "127.0.0.1", "port": settings.port, "threads": THREADS, "ident": None}
    if not settings.proxy:
        return own | {"clear_untrusted_proxy_headers": True}
    return own | {
        "trusted_proxy": settings.proxy,
        "trusted_proxy_count": 1,
        "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"},
        "clear_untrusted_proxy_headers": True,
    }


def main() -> None:
    pool.warm()
    waitress.serve(application, **options(config.load()))


if __name__ == "__main__":
    main()
