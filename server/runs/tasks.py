"""The jobs behind runs: a child process does the work, so that its memory and its death are its
own.
"""

from __future__ import annotations

import platform

from procrastinate.contrib.django import app

BEHIND_RUNS = -5  # priority of variants: a run that somebody waits for goes before them


@app.task(queue="runs", name="solve_run")
def solve_run(run_id: int) -> None:
    """Solves one run in a child process and records a death that the child could not."""
    # not at the top: every command of Django loads this file, few need the core
    from server.runs import warm
    from server.runs.ending import fail

    ended = warm.solve(f"run {run_id}")
    if ended.code != 0:
        fail(run_id, ended.why)
        warm.keep_one()


@app.task(queue="variants", name="solve_variants")
def solve_variants(study_id: int) -> None:
    """Solves variants of a study, one after the other, for some seconds. What the child dies of
    fails the variant that it was solving, and no other.
    """
    from server.runs import warm
    from server.runs.ending import fail
    from server.runs.models import Run, Status

    ended = warm.solve(f"study {study_id}")
    if ended.code != 0:
        own = Run.objects.filter(study_id=study_id, status=Status.RUNNING)
        its = own.filter(made_by__machine=platform.node(), made_by__process=ended.process)
        for run_id in its.values_list("id", flat=True):
            fail(run_id, ended.why)
    if Run.objects.filter(study_id=study_id, status=Status.QUEUED, study__wish="").exists():
        solve_variants.configure(priority=BEHIND_RUNS).defer(study_id=study_id)
