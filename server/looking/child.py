"""A process that looks at models: ``python -m server.looking.child`` reads questions and writes
answers, each a length and a pickle of our own making.
"""

from __future__ import annotations

import os
import pickle
import resource
import sys
import traceback

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

import psutil  # noqa: E402
from django.db import close_old_connections  # noqa: E402

from heron.errors import HeronError  # noqa: E402
from server.errors import Problem, told  # noqa: E402
from server.looking.pool import LENGTH  # noqa: E402
from server.looking.tasks import TASKS, warm_up  # noqa: E402
from server.processes import end_with_parent  # noqa: E402

MEMORY_BYTES = 3_000_000_000  # that a question may take beyond what is loaded
MEMORY_SHARE = 0.6  # of the machine's, if that is less


def main() -> None:
    answers = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())  # nothing else may speak between answers
    end_with_parent()
    warm_up()
    most = min(MEMORY_BYTES, int(MEMORY_SHARE * psutil.virtual_memory().total))
    limit = psutil.Process().memory_info().vms + most
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    questions = sys.stdin.buffer
    while head := questions.read(LENGTH.size):
        task, arguments = pickle.loads(questions.read(LENGTH.unpack(head)[0]))
        close_old_connections()
        try:
            answer = "done", TASKS[task](*arguments)
        except (HeronError, Problem, RecursionError) as error:
            answer = "refused", told(error)
        except MemoryError:
            raise  # what is left of this process is not to be relied on
        except Exception:
            answer = "broken", traceback.format_exc()
        data = pickle.dumps(answer)
        answers.write(LENGTH.pack(len(data)) + data)
        answers.flush()


if __name__ == "__main__":
    main()
