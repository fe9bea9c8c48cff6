"""The job behind a run: a child process does the work, so that its memory and its death are its
own.
"""

from __future__ import annotations

import signal
import subprocess
import sys

from procrastinate.contrib.django import app

from server.config import ROOT

CHILD = "server.runs.child"


@app.task(queue="runs", name="solve_run")
def solve_run(run_id: int) -> None:
    """Solves one run in a child process and records a death that the child could not."""
    # not at the top: every command of Django loads this file, few need the core
    from server.runs.actions import fail

    done = subprocess.run(
        [sys.executable, "-m", CHILD, str(run_id)],
        cwd=ROOT,
        stderr=subprocess.PIPE,
        text=True,
        check=False,
    )
    if done.returncode == 0:
        return
    if done.returncode < 0:
        fail(
            run_id,
            f"the solve was ended by {signal.Signals(-done.returncode).name}; if that was memory,"
            " use fewer segments",
        )
    else:
        last = (done.stderr.strip().splitlines() or ["no message"])[-1]
        fail(run_id, f"the solve ended unexpectedly: {last}")
