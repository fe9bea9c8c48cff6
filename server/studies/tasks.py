"""The job behind a study: it says which variants are wanted next until all is found."""

from __future__ import annotations

from procrastinate.contrib.django import app


@app.task(queue="studies", name="conduct_study")
def conduct_study(study_id: int) -> None:
    """Conducts one study to its end."""
    from server.studies.conducting import conduct  # the core; every command loads this file

    conduct(study_id)
