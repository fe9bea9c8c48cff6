"""Repeatable damage to files, and a reader of damaged files, each in a fork of its own: ``python -m
tests.fuzz FOLDER COUNT``.
"""

from __future__ import annotations

import json
import os
import random
import sys
import traceback
from pathlib import Path

SEED = 7
CHUNKS = (b"1.E+308.", b"-1.E-308", b"nan     ", b"#9999999", b"$,$,$,$,")


def damaged(folder: Path, n: int) -> tuple[str, bytes]:
    """File number ``n``: one of the folder's, with bytes changed, cut out, put in, doubled or
    replaced.
    """
    dice = random.Random(SEED * 100_003 + n)
    name, data = dice.choice(
        [
            (p.name, p.read_bytes())
            for p in sorted(folder.iterdir())
            if p.suffix in (".step", ".stl", ".obj")
        ]
    )
    raw = bytearray(data)
    for _ in range(dice.choice((1, 1, 3, 20, 200))):
        if len(raw) < 100:
            break
        at = dice.randrange(len(raw))
        what = dice.randrange(5)
        if what == 0:
            raw[at] = dice.randrange(256)
        elif what == 1:
            del raw[at : at + dice.randrange(1, 60)]
        elif what == 2:
            raw[at:at] = bytes(dice.randrange(256) for _ in range(dice.randrange(1, 30)))
        elif what == 3:
            raw[at:at] = raw[max(0, at - 80) : at]
        else:
            raw[at : at + 8] = dice.choice(CHUNKS)
    return name, bytes(raw)


READ, REFUSED, BROKEN = 0, 3, 4


def attempt(folder: Path, n: int) -> int:
    from heron.errors import HeronError
    from heron.shapes import imports

    imports.limit()
    try:
        imports.report(imports.read(*damaged(folder, n)), 0.345)
    except HeronError:
        return REFUSED
    except Exception:  # anything but a refusal is a fault of ours
        traceback.print_exc()
        return BROKEN
    return READ


def main(folder: Path, count: int) -> None:
    """Prints how many were read and refused, which broke our code, and over which the kernel
    fell.
    """
    from heron.shapes import imports  # noqa: F401 - loaded once, before the forks

    out: dict[str, list[int]] = {"read": [], "refused": [], "broken": [], "fallen": []}
    names = {READ: "read", REFUSED: "refused", BROKEN: "broken"}
    for n in range(count):
        child = os.fork()
        if child == 0:
            os._exit(attempt(folder, n))
        status = os.waitpid(child, 0)[1]
        out[names[os.WEXITSTATUS(status)] if os.WIFEXITED(status) else "fallen"].append(n)
    print(json.dumps(out))


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
