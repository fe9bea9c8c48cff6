"""The whole product for the browser: its own database, web server and worker, and Debian's
Chromium.
"""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from typing import Any

import psycopg
import pytest
from playwright.sync_api import Browser, Locator, Page, expect, sync_playwright
from playwright.sync_api import TimeoutError as PlaywrightTimeout

from server.config import ROOT, load
from server.projects.management.commands.load_demo import PASSWORD, USERNAME
from tests.waiting import PATIENCE, PATIENCE_MS

FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
]
DATABASE = "odd_heron_browser"
expect.set_options(timeout=PATIENCE_MS)
# what these tests open; another test loads all of them
SHELF = ["ground-whip", "helix", "roof-patch", "mast-dipole", "skiff-mount", "twin-loops"]


@pytest.fixture(scope="session")
def site() -> Iterator[str]:
    """Address of a running product with the demo loaded and solved."""
    base = load().database_url.rsplit("/", 1)[0]
    with psycopg.connect(f"{base}/postgres", autocommit=True) as admin:
        admin.execute(f"drop database if exists {DATABASE} with (force)")
        admin.execute(f"create database {DATABASE}")
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    env = {
        **{k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"},
        "ODD_HERON_DATABASE_URL": f"{base}/{DATABASE}",
        "ODD_HERON_PORT": str(port),
        "NUMBA_NUM_THREADS": "1",
    }
    for command in (["migrate", "--verbosity", "0"], ["load_demo", "--only", *SHELF]):
        subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=env, check=True)
    web = subprocess.Popen([sys.executable, "-m", "server.serve"], cwd=ROOT, env=env)
    worker = subprocess.Popen([sys.executable, "-m", "server.worker"], cwd=ROOT, env=env)
    address = f"http://127.0.0.1:{port}"
    try:
        _answering(address)
        _solved(f"{base}/{DATABASE}")
        yield address
    finally:
        for process in (worker, web):
            process.terminate()
            process.wait(PATIENCE)


def _answering(address: str) -> None:
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        try:
            urllib.request.urlopen(address, timeout=2).close()
            return
        except OSError:
            time.sleep(0.1)
    raise AssertionError("the server does not answer")


def _solved(url: str) -> None:
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        with psycopg.connect(url) as c:
            row = c.execute("select count(*) from runs_run where status <> 'finished'").fetchone()
        if row is not None and row[0] == 0:
            return
        time.sleep(0.5)
    raise AssertionError("the demo's runs did not finish")


def add_person(name: str, password: str) -> None:
    """Another account on the served product."""
    code = (
        f"from server.accounts.models import User; User.objects.create_user({name!r},"
        f" password={password!r})"
    )
    env = {
        **{k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"},
        "ODD_HERON_DATABASE_URL": f"{load().database_url.rsplit('/', 1)[0]}/{DATABASE}",
    }
    subprocess.run(
        [sys.executable, "manage.py", "shell", "-c", code],
        cwd=ROOT,
        env=env,
        check=True,
        capture_output=True,
    )


CALL = """async ([method, path, body]) => {
  const token = /csrftoken=([^;]+)/.exec(document.cookie)[1];
  const r = await fetch('/api' + path, {
    method, headers: { 'X-CSRFToken': token, 'Content-Type': 'application/json' },
    body: body === null ? undefined : JSON.stringify(body),
  });
  return r.status === 204 ? null : await r.json();
}"""


def call(page: Page, method: str, path: str, body: object = None) -> Any:
    """Asks the API as the person who is signed in on the page."""
    return page.evaluate(CALL, [method, path, body])


def add(page: Page, group: str, label: str) -> None:
    """Adds a step from the menu."""
    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("menuitem", name=group).click()
    page.get_by_role("menuitem", name=label, exact=True).click()


def set_token(page: Page, label: str, value: str, which: int = 0) -> None:
    """Edits a value in its sentence, in the first of several alike unless told; unfolds the
    sentence where the value is not shown because it is a default.
    """
    token = page.get_by_role("button", name=re.compile(f"^{re.escape(label)}: "))
    if token.count() <= which:
        for title in page.locator("button[data-folded]").evaluate_all(
            "found => [...new Set(found.map(b => b.dataset.folded))]"
        ):
            while (
                label.startswith(f"{title} ")
                and (more := page.locator(f"button[data-folded='{title}']")).count()
            ):
                more.first.click()
    token.nth(which).click()
    field = page.get_by_role("textbox", name=label, exact=True)
    field.fill(value)
    field.press("Enter")


def finished_run(page: Page, words: str) -> Locator:
    """The chip of a run that has ended, of those ``words`` (a pattern); how long a run takes is no
    matter of these tests, as machines are shared.
    """
    chip = page.get_by_role("button", name=re.compile(words))
    try:
        chip.wait_for(timeout=PATIENCE * 1000)
    except PlaywrightTimeout:
        with psycopg.connect(f"{load().database_url.rsplit('/', 1)[0]}/{DATABASE}") as c:
            runs = c.execute(
                "select r.id, project_id, number, status, stage, fraction, reason,"
                " array_agg(message order by e.id) from runs_run r join runs_runevent e on e.run_id"
                " = r.id where status <> 'finished' or r.id > (select max(id) - 3 from runs_run)"
                " group by r.id"
            ).fetchall()
            jobs = c.execute(
                "select id, args, status, worker_id from procrastinate_jobs"
            ).fetchall()
        raise AssertionError(
            f"no run “{words}” after {PATIENCE:g} s; runs {runs}; jobs {jobs}; alerts"
            f" {page.get_by_role('alert').all_inner_texts()}"
        ) from None
    return chip


def sign_in(page: Page, site: str, name: str = USERNAME, password: str = PASSWORD) -> None:
    page.set_default_timeout(PATIENCE_MS)
    page.goto(site)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Projects").wait_for()


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    """One Chromium for a module's tests; each test has a context of its own."""
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def page(site: str, browser: Browser) -> Iterator[Page]:
    """A signed-in page; errors of the page's own scripts fail the test."""
    faults: list[str] = []
    page = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True
    ).new_page()
    page.on("pageerror", lambda e: faults.append(e.stack or str(e)))
    sign_in(page, site)
    yield page
    page.context.close()
    assert not faults, "\n".join(faults)
