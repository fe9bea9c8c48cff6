"""The job behind a run: a child process does the work, so that its memory and its death are its
own.
"""

from __future__ import annotations

import signal

from procrastinate.contrib.django import app


@app.task(queue="runs", name="solve_run")
def solve_run(run_id: int) -> None:
    """Solves one run in a child process and records a death that the child could not."""
    # not at the top: every command of Django loads this file, few need the core
    from server.runs import warm
    from server.runs.ending import fail

    code, last = warm.solve(run_id)
    if code < 0:
        fail(
            run_id,
            f"the solve was ended by {signal.Signals(-code).name}; if that was memory,"
            " use fewer segments",
        )
    elif code > 0:
        fail(run_id, f"the solve ended unexpectedly: {last}")
