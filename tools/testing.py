"""Test: everything from nothing."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tools.base import PYTHON, ROOT, VENV, Failure, run, say
from tools.database import Cluster
from tools.installation import compute_environment, ensure_all

LANES = ("tests/browser", "tests/server")  # run beside all others, which need no database
WORKERS = 2  # among which the files of those are shared out


def test(arguments: list[str]) -> int:
    """Everything from nothing: lint, types, import rules, interface, and all tests on a fresh
    cluster.
    """
    ensure_all(development=True)
    binary = VENV / "bin"
    folder = Path(tempfile.mkdtemp(prefix="odd-heron-test-"))
    folder.chmod(0o755)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    cluster = Cluster(folder / "postgres", port)
    environment = {**compute_environment(), "ODD_HERON_DATA": str(folder), "CI": "true"}
    cluster.start()
    try:
        environment |= {"ODD_HERON_DATABASE_URL": cluster.url, "ODD_HERON_OWN_CLUSTER": "1"}
        run(
            PYTHON,
            "-c",
            "from server import config, prepare;"
            " prepare.ensure_database(config.load().database_url)",
            what="creating the database",
            env=environment,
        )
        checks: list[tuple[str, list[str | Path], Path]] = [
            ("ruff", [binary / "ruff", "check", "."], ROOT),
            ("format", [binary / "ruff", "format", "--check", "."], ROOT),
            ("mypy", [binary / "mypy"], ROOT),
            ("import rules", [binary / "lint-imports"], ROOT),
            ("migrations", [PYTHON, "manage.py", "makemigrations", "--check", "--dry-run"], ROOT),
            ("eslint", ["npm", "run", "lint"], ROOT / "web"),
            ("prettier", ["npx", "prettier", "--check", "."], ROOT / "web"),
            ("tsc", ["npx", "tsc", "-b"], ROOT / "web"),
            ("unit tests of the interface", ["npm", "test"], ROOT / "web"),
        ]
        if arguments:
            return subprocess.run(
                [str(binary / "pytest"), *arguments],
                cwd=ROOT,
                env={**os.environ, **environment},
                check=False,
            ).returncode
        with ThreadPoolExecutor(2) as pool:
            failures = list(pool.map(lambda c: failure_of(c[0], c[1], c[2], environment), checks))
        for (name, *_), failure in zip(checks, failures, strict=True):
            say(failure or f"{name}: clean")
        if any(failures):
            raise Failure("mend these first")
        return side_by_side(binary / "pytest", environment, folder)
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def failure_of(
    name: str, command: list[str | Path], folder: Path, environment: dict[str, str]
) -> str:
    """What a check had to say, if it failed."""
    try:
        run(*command, what=name, cwd=folder, env=environment)
    except Failure as failure:
        return str(failure)
    return ""


def side_by_side(pytest: Path, environment: dict[str, str], folder: Path) -> int:
    """The browser's tests and the server's, as they wait a lot, beside all others, each with
    databases of its own.

    Returns the worst exit code.
    """
    started = time.monotonic()
    # threads of several suites on two cores wait for each other: it takes twice as long
    single = {**os.environ, **environment, "OPENBLAS_NUM_THREADS": "1"}
    logs = [folder / f"lane-{n}.log" for n in range(len(LANES))]
    lanes: list[subprocess.Popen[bytes]] = []
    try:
        for n, (lane, log) in enumerate(zip(LANES, logs, strict=True)):
            with log.open("w") as out:
                lanes.append(
                    subprocess.Popen(
                        [
                            pytest,
                            lane,
                            "--durations=15",
                            "-o",
                            f"cache_dir={folder / f'cache-{n}'}",
                        ],
                        cwd=ROOT,
                        env=single | {"NUMBA_NUM_THREADS": "1"},
                        stdout=out,
                        stderr=subprocess.STDOUT,
                    )
                )
        rest: list[str | Path] = [
            pytest,
            "tests",
            *(f"--ignore={lane}" for lane in LANES),
            "-n",
            str(WORKERS),
            "--dist",
            "loadfile",
            "--durations=40",
        ]
        # The lanes first: they are the longest, as they run one by one.
        codes = [
            subprocess.run(
                ["nice", "-n", "5", *rest], cwd=ROOT, env=single, check=False
            ).returncode,
            *(lane.wait() for lane in lanes),
        ]
    finally:
        for process in lanes:
            process.kill()
    for text in logs:
        say(text.read_text())
    say(f"all suites: {'FAILED' if any(codes) else 'passed'} in {time.monotonic() - started:.0f} s")
    return max(codes, key=abs)
