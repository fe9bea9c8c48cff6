"""Conducting a study: its kind says which variants it wants next and what it finds in them.

What is conducted is the same at every attempt, so that a study whose conductor died goes on where
it was: its variants have rows in the order of their trials, and what has a row is not solved again.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from heron.errors import HeronError, Stopped
from heron.model import load_document
from heron.studies.contract import Trial
from heron.studies.kinds import made, step_of
from server.runs.heart import beating
from server.runs.models import Status, Wish
from server.studies.models import Study
from server.studies.solving import Queued, Superseded, conducted, patiently

TELL_S = 2.0
BEAT_S = 1.0
log = logging.getLogger(__name__)


def conduct(study_id: int) -> None:
    """Takes a queued study to its end, whatever comes of it."""
    study = patiently(lambda: _claim(study_id))
    if study is None:
        return  # stopped, deleted or taken meanwhile
    try:
        document = load_document(study.revision.document)
        own = made(step_of(**study.step), document)
        teller = _Teller(study, own.study)
        with beating(lambda: conducted(study).update(heartbeat=timezone.now()), BEAT_S):
            findings = own.study.run(Queued(study, own, document, teller))
        patiently(lambda: _end(study, Status.FINISHED, "", findings.told))
    except Superseded:
        log.warning("study %s has another conductor", study_id)
    except Stopped:
        patiently(lambda: _end(study, Status.STOPPED, "stopped"))
    except HeronError as error:
        reason = error.message
        patiently(lambda: _end(study, Status.FAILED, reason))
    except Exception as error:
        log.exception("study %s", study_id)
        reason = f"the study ended unexpectedly: {error}"
        patiently(lambda: _end(study, Status.FAILED, reason))


class _Teller:
    """Keeps what is found so far, now and then."""

    def __init__(self, study: Study, kind: Any) -> None:
        self.study, self.kind, self.last = study, kind, 0.0

    def __call__(self, trials: Sequence[Trial]) -> None:
        if time.monotonic() - self.last < TELL_S:
            return
        self.last = time.monotonic()
        if trials:
            told = self.kind.tell(trials)
            patiently(lambda: Study.objects.filter(id=self.study.id).update(found=told))


@transaction.atomic
def _claim(study_id: int) -> Study | None:
    study = (
        Study.objects.select_for_update(of=("self",))
        .select_related("project", "revision")
        .filter(id=study_id, status=Status.QUEUED)
        .first()
    )
    if study is None:
        return None
    now = timezone.now()
    study.status, study.heartbeat = Status.RUNNING, now
    study.started = study.started or now
    study.attempts += 1
    study.save()
    return study


@transaction.atomic
def _end(study: Study, status: Status, reason: str, found: dict[str, Any] | None = None) -> None:
    own = conducted(study).select_for_update().first()
    if own is None:
        return  # deleted, or another's
    own.status, own.reason, own.finished, own.wish = status, reason, timezone.now(), Wish.NONE
    if found is not None:
        own.found = found
    own.save()
