"""Behind a proxy that speaks TLS: whose word the server takes; and who may guess how often."""

from __future__ import annotations

import dataclasses
import threading
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
import waitress.server
from django.test import Client, override_settings
from waitress.wasyncore import close_all

from server import config, prepare
from server.accounts.models import User
from server.serve import options


def told(environ: dict[str, Any], start_response: Any) -> list[bytes]:
    start_response("200 OK", [("Content-Type", "text/plain")])
    return [f"{environ['wsgi.url_scheme']} {environ['REMOTE_ADDR']}".encode()]


@pytest.fixture
def served() -> Iterator[Any]:
    """Serves what a request looks like to the application, behind a proxy or without one."""
    servers: list[tuple[Any, threading.Thread]] = []

    def serve(proxy: str) -> str:
        own = options(dataclasses.replace(config.load(), proxy=proxy, port=0))
        server = waitress.server.create_server(told, **own)
        thread = threading.Thread(target=server.run, daemon=True)
        thread.start()
        servers.append((server, thread))
        return f"http://127.0.0.1:{server.effective_port}/"

    yield serve
    for server, thread in servers:
        # in its own thread: a socket closed under it would be an error there
        server.trigger.pull_trigger(lambda own=server: close_all(own._map))
        thread.join()
        server.task_dispatcher.shutdown()


def test_a_proxys_word_is_taken_only_from_the_proxy(served: Any) -> None:
    forwarded = {"X-Forwarded-Proto": "https", "X-Forwarded-For": "192.0.2.7"}
    assert httpx.get(served("127.0.0.1"), headers=forwarded).text == "https 192.0.2.7"
    assert httpx.get(served(""), headers=forwarded).text == "http 127.0.0.1"
    assert httpx.get(served("192.0.2.1"), headers=forwarded).text == "http 127.0.0.1"


def signing_in(client: Client, name: str, password: str, **extra: Any) -> int:
    body = {"username": name, "password": password}
    return client.post("/api/session", body, content_type="application/json", **extra).status_code


@pytest.fixture
def people(db: None) -> None:
    for name in ("olive", "edith"):
        User.objects.create_user(name, password=f"{name}-long-secret")


@pytest.mark.usefixtures("people")
def test_guesses_lock_out_a_name_from_where_they_come_and_nobody_else() -> None:
    client = Client()
    codes = [signing_in(client, "olive", "guess", REMOTE_ADDR="192.0.2.7") for _ in range(10)]
    assert codes[:7] == [401] * 7 and codes[-1] == 429
    right = "olive-long-secret"
    assert signing_in(client, "olive", right, REMOTE_ADDR="192.0.2.7") == 429
    assert signing_in(client, "olive", right, REMOTE_ADDR="192.0.2.8") == 200
    assert signing_in(Client(), "edith", "edith-long-secret", REMOTE_ADDR="192.0.2.7") == 200


@pytest.mark.usefixtures("people")
def test_signing_in_over_tls_checks_where_the_page_comes_from() -> None:
    client = Client(enforce_csrf_checks=True)
    with override_settings(ALLOWED_HOSTS=["marsh.example"]):
        here = {"secure": True, "SERVER_NAME": "marsh.example"}
        client.get("/", **here)
        token = {"X-CSRFToken": client.cookies["csrftoken"].value}

        def tried(origin: str) -> int:
            headers = token | {"Origin": origin, "Referer": f"{origin}/"}
            return signing_in(client, "olive", "olive-long-secret", headers=headers, **here)

        assert tried("https://elsewhere.example") == 403
        assert tried("https://marsh.example") == 200


def test_the_demo_account_is_only_in_our_own_database(monkeypatch: pytest.MonkeyPatch) -> None:
    called: list[str] = []
    monkeypatch.setattr("django.setup", lambda: None)
    monkeypatch.setattr(
        "django.core.management.call_command", lambda name, **_: called.append(name)
    )
    monkeypatch.setattr(prepare, "short_runs", lambda: 0)
    monkeypatch.setattr(prepare, "ensure_database", lambda url: None)
    monkeypatch.delenv("ODD_HERON_OWN_CLUSTER", raising=False)
    prepare.main()
    assert called == ["migrate"]
    monkeypatch.setenv("ODD_HERON_OWN_CLUSTER", "1")
    prepare.main()
    assert called == ["migrate", "migrate", "load_demo"]
