"""The one script: what it says when something is wrong, and a real restart of PostgreSQL under what
it starts.
"""

from __future__ import annotations

import http.cookiejar
import json
import os
import runpy
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from server.config import ROOT
from server.projects.management.commands.load_demo import PASSWORD, USERNAME
from tests.models import ROD, planned
from tests.waiting import PATIENCE, until
from tools import base, database, installation, serving

SCRIPT = ROOT / "odd-heron"


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture
def script() -> dict[str, Any]:
    """The script's own names, as a module that has not been run."""
    return runpy.run_path(str(SCRIPT), run_name="script")


@pytest.fixture
def folder() -> Iterator[Path]:
    """A folder that the account of PostgreSQL may enter."""
    path = Path(tempfile.mkdtemp(prefix="odd-heron-script-"))
    path.chmod(0o755)
    yield path
    shutil.rmtree(path, ignore_errors=True)


def call(*arguments: str, **environment: str) -> subprocess.CompletedProcess[str]:
    env = {k: v for k, v in os.environ.items() if not k.startswith("ODD_HERON")} | environment
    return subprocess.run(
        [sys.executable, str(SCRIPT), *arguments],
        cwd="/",
        env=env,
        capture_output=True,
        text=True,
        check=False,
        timeout=PATIENCE,
    )


def test_a_taken_port_is_named_with_the_way_out() -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = str(other.getsockname()[1])
        done = call("start", ODD_HERON_PORT=port)
    assert done.returncode == 1
    assert f"port {port} is taken" in done.stderr
    assert "ODD_HERON_PORT" in done.stderr
    assert done.stderr.count("\n") == 1


def test_a_worker_without_a_database_says_what_to_do(tmp_path: Path) -> None:
    done = call("worker", ODD_HERON_DATA=str(tmp_path))
    assert (done.returncode, done.stderr.count("\n")) == (1, 1)
    assert "./odd-heron start" in done.stderr


def test_an_unknown_command_shows_the_commands() -> None:
    done = call("fly")
    assert done.returncode == 2
    assert "start | test | worker" in done.stderr
    assert call("--help").returncode == 0


def test_a_full_disk_is_found_before_anything_is_installed(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=10**8))
    with pytest.raises(base.Failure, match="make room"):
        installation.ensure_system(browser=False)


def test_without_apt_the_missing_packages_are_named(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(shutil, "which", lambda _: None)
    with pytest.raises(base.Failure, match="postgresql chromium"):
        installation.apt("postgresql", "chromium")


def test_a_failing_step_shows_the_end_of_its_output() -> None:
    with pytest.raises(base.Failure) as caught:
        base.run(
            sys.executable,
            "-c",
            "print('\\n'.join(f'line {i}' for i in range(40))); raise SystemExit(3)",
            what="the step",
        )
    text = str(caught.value)
    assert text.startswith("the step failed (exit code 3)")
    assert "line 39" in text
    assert "line 10" not in text


def test_kernels_are_compiled_anew_when_their_sources_change() -> None:
    digest = base.digest
    before = digest(ROOT / "examples")
    extra = ROOT / "examples" / "extra.tmp"
    extra.write_text("x")
    try:
        assert digest(ROOT / "examples") != before
    finally:
        extra.unlink()
    assert digest(ROOT / "examples") == before


class Visitor:
    """A person at the served product, through its HTTP API."""

    def __init__(self, base: str) -> None:
        self.base, self.jar = base, http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.opener.open(f"{base}/", timeout=PATIENCE).close()
        self.ask("POST", "/session", {"username": USERNAME, "password": PASSWORD})

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        token = next(c.value for c in self.jar if c.name == "csrftoken")
        headers = {"Content-Type": "application/json", "X-CSRFToken": str(token)}
        data = None if body is None else json.dumps(body).encode()
        with self.opener.open(
            urllib.request.Request(f"{self.base}/api{path}", data, headers, method=method),
            timeout=PATIENCE,
        ) as answer:
            return json.loads(answer.read() or b"null")

    def patiently(self, method: str, path: str, body: Any = None) -> Any:
        """As ``ask``, again while the server's database is away."""
        end = time.monotonic() + PATIENCE
        while True:
            try:
                return self.ask(method, path, body)
            except urllib.error.HTTPError as error:
                if error.code < 500 or time.monotonic() > end:
                    raise
                time.sleep(0.3)

    def finished(self, path: str) -> dict[str, Any]:
        """A run or study once it has ended."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            found: dict[str, Any] = self.patiently("GET", path)
            if found["status"] not in ("queued", "running", "paused"):
                return found
            time.sleep(0.3)
        raise AssertionError(f"{path} did not end")


def test_server_and_worker_outlive_a_restart_of_postgresql(
    folder: Path,
) -> None:
    """The server process itself is stopped and started: sessions, projects and the queue go on, and
    a run and a study in mid-solve end, every variant solved once.
    """
    cluster = database.Cluster(folder / "postgres", free_port())
    cluster.start()
    port = free_port()
    env = {
        **{k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"},
        "ODD_HERON_DATA": str(folder),
        "ODD_HERON_PORT": str(port),
        "ODD_HERON_OWN_CLUSTER": "1",
        "ODD_HERON_DATABASE_URL": cluster.url,
    }
    account = (
        f"from server.accounts.models import User; User.objects.create_user({USERNAME!r},"
        f" password={PASSWORD!r})"
    )
    create = (
        "from server import config, prepare; prepare.ensure_database(config.load().database_url)"
    )
    for command in (
        ["-c", create],
        ["manage.py", "migrate", "--verbosity", "0"],
        ["manage.py", "shell", "-c", account],
    ):
        subprocess.run(
            [sys.executable, *command], cwd=ROOT, env=env, check=True, capture_output=True
        )
    commands = ([sys.executable, "-m", "server.serve"], [sys.executable, "-m", "server.worker"])
    with (folder / "log").open("wb") as log:
        processes = [
            subprocess.Popen(c, cwd=ROOT, env=env, stdout=log, stderr=log) for c in commands
        ]
    try:
        serving.wait_for(f"http://127.0.0.1:{port}/", processes, folder)
        visitor = Visitor(f"http://127.0.0.1:{port}")
        document = json.loads((ROOT / "examples" / "mast-dipole.json").read_text())
        document = planned(document, sampling="every", points="61", segments_per_wavelength="200")
        project = visitor.ask("POST", "/projects", {"document": document})["id"]
        other = visitor.ask("POST", "/projects", {"document": {"version": 3, **ROD}})["id"]
        study = f"/projects/{other}/studies/1"
        visitor.ask("POST", f"/projects/{other}/studies", {"name": "saw"})
        until(lambda: visitor.ask("GET", study)["counts"].get("finished", 0) > 0)
        number = visitor.ask("POST", f"/projects/{project}/runs", {})["number"]
        cluster.stop()
        assert not base.listening(cluster.port)
        cluster.start()
        assert visitor.patiently("GET", f"/projects/{project}")["name"] == "Mast dipole"
        run = visitor.finished(f"/projects/{project}/runs/{number}")
        assert run["status"] == "finished", run["reason"]
        told = visitor.finished(study)
        assert told["status"] == "finished", told["reason"]
        assert [v["status"] for v in told["variants"]] == ["finished"] * 12
        assert len({v["run"] for v in told["variants"]}) == 12
        assert all(p.poll() is None for p in processes), (
            "a process ended when the database went away"
        )
    finally:
        for process in processes:
            process.terminate()
            process.wait(PATIENCE)
        cluster.stop()
        print((folder / "log").read_text()[-2000:])


@pytest.mark.parametrize("command", ["solve", "modes", "geometry", "compare", "benchmark"])
def test_every_command_of_the_core_is_one_of_the_script(
    script: dict[str, Any],
    command: str,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """And stands in its usage."""
    passed: list[list[str]] = []
    names = script["main"].__globals__
    monkeypatch.setitem(names, "core", lambda arguments: passed.append(arguments) or 0)
    monkeypatch.setattr(sys, "argv", ["odd-heron", command, "a.json"])
    assert script["main"]() == 0 and passed == [[command, "a.json"]]
    monkeypatch.setattr(sys, "argv", ["odd-heron", "help"])
    script["main"]()
    assert f" {command}" in capsys.readouterr().err
