"""Losses in the surfaces of solid metal, of walls of any thickness, against the attenuation of
lines and guides (Pozar, ch. 2 and 3).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.special import jnp_zeros

from heron.quantities.constants import C0, ETA0, MU0
from heron.results.power import budget
from tests import models

SIGMA = 3e3  # S/m: so poor that a short piece loses some per cent


def lost(document: dict[str, Any], cells: str = "14") -> tuple[float, float]:
    """Shares of the power from the first port, in the middle of the band, that the metal takes and
    that leaks.
    """
    document["materials"] = [{"kind": "conductor", "name": "poor", "conductivity": f"{SIGMA} S/m"}]
    for part in document["parts"]:
        part["material"] = "poor"
    document["plan"] |= {"decay": "40", "points": "3", "cells_per_wavelength": cells}
    results = models.solve(document)
    s, powers = results["s"].values[1], budget(results)
    return float(1 - abs(s[0, 0]) ** 2 - abs(s[1, 0]) ** 2), float(
        powers.radiated[1] / powers.available[1]
    )


def resistance(f: float) -> float:
    return float(np.sqrt(np.pi * f * MU0 / SIGMA))


def test_a_coaxial_line() -> None:
    inner, outer, length = 1e-3, 3e-3, 10e-3
    document = models.coaxial("1 mm", "3 mm")
    document["surround"]["mirror"] = ["PMC", "PMC", "none"]
    found, leaks = lost(document)
    wanted = 1 - np.exp(
        -2 * length * resistance(7e9) / (2 * ETA0 * np.log(outer / inner)) * (1 / inner + 1 / outer)
    )
    print(
        f"coaxial line: loses {found / wanted - 1:+.1%} of what it should more, leaks {leaks:.1e}"
    )
    assert found == pytest.approx(wanted, rel=0.06)
    assert leaks < 1e-3


@pytest.mark.parametrize("wall", ["2 mm", "0.3 mm", "none"])
def test_a_round_guide(wall: str) -> None:
    """TE11; walls of two cells, a quarter of a cell, and a sheet, of whose two sides the grid
    cannot always tell which one the current flows on.
    """
    radius, length, f = 12e-3, 15e-3, 10.25e9
    document = models.round_guide("12 mm", length="15 mm")
    document["feeds"].append(
        {"kind": "guide", "number": 2, "centre": ["0", "0", "L"], "towards": "-z"}
    )
    document["surround"]["mirror"] = ["PEC", "PMC", "none"]
    document["surround"]["margin"] = "8 mm"
    if wall == "none":
        end = {"width": "24 mm", "height": "24 mm", "round": True}
        document["parts"] = [
            {
                "kind": "loft",
                "name": "tube",
                "sections": [{"at": ["0", "0", z], **end} for z in ("0", "L")],
                "shell": True,
            }
        ]
    else:
        document["parts"][0]["radius"] = f"12 mm + {wall}"
    found, leaks = lost(document, "20" if wall == "none" else "14")
    k, cut = 2 * np.pi * f / C0, jnp_zeros(1, 1)[0]
    alpha = (
        resistance(f)
        / (radius * k * ETA0 * np.sqrt(k**2 - (cut / radius) ** 2))
        * ((cut / radius) ** 2 + k**2 / (cut**2 - 1))
    )
    wanted = 1 - np.exp(-2 * length * alpha)
    print(
        f"round guide, walls {wall}: loses {found / wanted - 1:+.1%} of what it should more, leaks"
        f" {leaks:.1e}"
    )
    assert found == pytest.approx(wanted, rel=0.12)
    assert leaks < 2e-3
