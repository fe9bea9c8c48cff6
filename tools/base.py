"""Places, and how steps are run and reported."""

from __future__ import annotations

import hashlib
import os
import socket
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
DATA = Path(os.environ.get("ODD_HERON_DATA", ROOT / "var")).resolve()
VENV = ROOT / "var" / "venv"
PYTHON = VENV / "bin" / "python"
PORT = int(os.environ.get("ODD_HERON_PORT", "8868"))
DATABASE_PORT = int(os.environ.get("ODD_HERON_DATABASE_PORT", "8869"))


class Failure(Exception):
    """Something the person at the terminal can mend."""


def say(text: str) -> None:
    print(text, flush=True)


def digest(*paths: Path) -> str:
    """One digest of files and of everything below folders."""
    total = hashlib.sha256()
    for path in paths:
        files = (
            sorted(
                p
                for p in path.rglob("*")
                if p.is_file() and "node_modules" not in p.parts and "dist" not in p.parts
            )
            if path.is_dir()
            else [path]
        )
        for file in files:
            total.update(str(file.relative_to(ROOT)).encode())
            total.update(file.read_bytes())
    return total.hexdigest()[:24]


class Stamp:
    """A file that remembers for which inputs a step was last done."""

    def __init__(self, name: str, *inputs: Path) -> None:
        self.path, self.now = ROOT / "var" / f"stamp-{name}", digest(*inputs)

    @property
    def fresh(self) -> bool:
        return self.path.exists() and self.path.read_text() == self.now

    def set(self) -> None:
        self.path.write_text(self.now)


def run(
    *command: str | Path, what: str, cwd: Path = ROOT, env: dict[str, str] | None = None
) -> str:
    """Runs a command and returns what it printed; a failure shows the end of its output."""
    done = subprocess.run(
        [str(c) for c in command],
        cwd=cwd,
        env={**os.environ, **(env or {})},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        tail = "\n".join((done.stdout + done.stderr).strip().splitlines()[-15:])
        raise Failure(f"{what} failed (exit code {done.returncode})\n{tail}".rstrip())
    return done.stdout


def listening(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex(("127.0.0.1", port)) == 0
