"""What the machine needs: packages, the Python environment, the interface, compiled kernels."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tools.base import PYTHON, ROOT, VENV, Failure, Stamp, digest, run, say

LEAST_DISK = 2_000_000_000


def apt(*packages: str) -> None:
    """Installs Debian packages that are missing."""
    if shutil.which("apt-get") is None:
        raise Failure(f"this machine has no apt-get; install these yourself: {' '.join(packages)}")
    prefix = [] if os.geteuid() == 0 else ["sudo"]
    if prefix and shutil.which("sudo") is None:
        raise Failure(
            f"run as root or install sudo, so that these can be installed: {' '.join(packages)}"
        )
    say(f"installing from Debian's packages: {' '.join(packages)}")
    run(*prefix, "apt-get", "update", "-q", what="apt-get update")
    run(
        *prefix,
        "env",
        "DEBIAN_FRONTEND=noninteractive",
        "apt-get",
        "install",
        "-y",
        "-q",
        "--no-install-recommends",
        *packages,
        what="apt-get install",
    )


def postgres_bin() -> Path | None:
    found = sorted(
        Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: float(p.parent.parent.name)
    )
    return found[-1].parent if found else None


def ensure_system(browser: bool) -> None:
    (ROOT / "var").mkdir(exist_ok=True)
    if shutil.disk_usage(ROOT / "var").free < LEAST_DISK:
        raise Failure(
            f"less than {LEAST_DISK // 10**9} GB are free on the disk of {ROOT}; make room first"
        )
    missing = []
    if postgres_bin() is None and "ODD_HERON_DATABASE_URL" not in os.environ:
        missing.append("postgresql")
    if subprocess.run(
        [sys.executable, "-c", "import ensurepip"], capture_output=True, check=False
    ).returncode:
        missing.append("python3-venv")
    if browser and shutil.which("chromium") is None:
        missing.append("chromium")
    if missing:
        apt(*missing)


def ensure_python(development: bool) -> None:
    locks = [
        ROOT / "requirements" / "base.txt",
        *([ROOT / "requirements" / "dev.txt"] if development else []),
    ]
    stamp = Stamp("python-dev" if development else "python", *locks)
    if stamp.fresh and PYTHON.exists():
        return
    if sys.version_info[:2] != (3, 11):
        raise Failure(f"Python 3.11 is needed; this is {sys.version.split()[0]}")
    say("making the Python environment")
    if not PYTHON.exists():
        run(sys.executable, "-m", "venv", VENV, what="making the Python environment")
    requirements = [word for lock in locks for word in ("-r", str(lock))]
    run(
        PYTHON,
        "-m",
        "pip",
        "install",
        "--disable-pip-version-check",
        "-q",
        "--require-hashes",
        *requirements,
        what="installing Python packages",
    )
    stamp.set()


def ensure_web() -> None:
    node = shutil.which("node")
    version = (
        subprocess.run(
            [node, "--version"], capture_output=True, text=True, check=False
        ).stdout.strip()
        if node
        else "none"
    )
    if not node or int(version.lstrip("v").split(".")[0]) < 20:
        raise Failure(f"Node 20 is needed to build the interface; found {version}")
    web = ROOT / "web"
    packages = Stamp("npm", web / "package-lock.json")
    if not packages.fresh or not (web / "node_modules").exists():
        say("installing the interface's packages")
        run("npm", "ci", "--no-audit", "--no-fund", what="npm ci", cwd=web)
        packages.set()
    sources = Stamp(
        "web",
        web / "src",
        ROOT / "docs" / "guide",
        web / "public",
        web / "index.html",
        web / "package.json",
        web / "vite.config.ts",
        web / "tsconfig.json",
    )
    if not sources.fresh or not (web / "dist" / "index.html").exists():
        say("building the interface")
        run("npm", "run", "build", what="building the interface", cwd=web)
        sources.set()


# packages of the core with compiled functions
COMPILED = [ROOT / "heron" / name for name in ("discretise", "engines", "fields")]


def compute_environment() -> dict[str, str]:
    """Compiled kernels live in a cache named after their sources, which the cache itself does not
    watch.
    """
    cache = ROOT / "var" / "numba" / digest(*COMPILED)
    return {"NUMBA_CACHE_DIR": str(cache), "PYTHONPATH": str(ROOT)}


def ensure_kernels() -> None:
    stamp = Stamp("kernels", *COMPILED, ROOT / "requirements" / "base.txt")
    if stamp.fresh:
        return
    say("compiling the kernels (once, a minute or two)")
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        solve, geometry = ["solve", "--set", "points=3", "--quiet", "--engine"], ["geometry"]
        jobs = [
            ("mast-dipole", [*solve, "transient"]),
            ("ground-whip", [*solve, "moments"]),
            ("twin-loops", [*solve, "moments"]),
            ("gauge-antenna", [*solve, "moments"]),
            ("ceramic-dome", [*solve, "moments"]),
            ("puck", geometry),
        ]
        for done in [
            pool.submit(
                run,
                PYTHON,
                "-m",
                "heron.cli",
                *command,
                ROOT / "examples" / f"{example}.json",
                "--out",
                f"{folder}/{example}",
                what="compiling the kernels",
                env=compute_environment(),
            )
            for example, command in jobs
        ]:
            done.result()
    stamp.set()


def ensure_all(development: bool) -> None:
    """Everything that start and test need: the interface beside the computing part, which it does
    not depend on.
    """
    ensure_system(browser=development)
    with ThreadPoolExecutor(1) as pool:
        web = pool.submit(ensure_web)
        ensure_python(development)
        ensure_kernels()
        web.result()
