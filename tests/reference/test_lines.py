"""Impedance and index of lines of all widths, with the cells a plan asks for by default: the grid
sees their widths, gaps and heights by itself.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.special import ellipk

from heron.engines import ENGINES
from heron.engines.transient.mode_study import modes_with_errors
from heron.engines.transient.study import Study, study
from heron.quantities.constants import ETA0
from tests import models
from tests.reference.test_modes import hammerstad

WITHIN = 0.01
FORMULA = 0.005  # of those for strips of some thickness


def looked_at(document: dict[str, Any], at: float, errors: bool = False) -> Study:
    examination = models.examined(document)
    assert examination.sound, examination.errors
    assert not [p for p in examination.problems if p.code == "few-cells"], (
        "all details are resolved"
    )
    s = examination.discretisation.structure
    sizes = ENGINES["transient"].rounds(examination.model.plan)[:-1]
    return (
        modes_with_errors(s, examination.model, examination.geometry, 0, 1, at, sizes)
        if errors
        else study(s, examination.model, 0, 1, at, points=3)
    )


def compared(what: str, found: Study, index: float, ohms: float, within: float = WITHIN) -> None:
    off = found.index[0, 0].real / index - 1, found.impedance[0, 0].real / ohms - 1
    print(
        f"{what}: index {off[0]:+.2%}, Z0 {found.impedance[0, 0].real:.2f} Ω against {ohms:.2f}"
        f" ({off[1]:+.2%})"
    )
    assert np.abs(off).max() < within
    if found.index_error is not None and found.impedance_error is not None:
        stated = found.index_error[0, 0] / index, found.impedance_error[0, 0] / ohms
        print(f"  stated: index {stated[0]:.2%}, Z0 {stated[1]:.2%}")
        assert (np.abs(off) < stated).all()


@pytest.mark.parametrize("epsilon", [1.0, 2.2, 10.0])
@pytest.mark.parametrize("ratio", [0.1, 0.3, 1.0, 3.0, 10.0])
def test_microstrips(ratio: float, epsilon: float) -> None:
    """Hammerstad and Jensen, 1980 (0.2 % in ε_eff, 0.03 % in Z0), at a frequency so low that there
    is no dispersion.
    """
    effective, ohms = hammerstad(ratio, epsilon)
    document = models.microstrip(
        f"{1.5 * ratio} mm",
        "1.5 mm",
        str(epsilon),
        length="20 mm",
        band=("0.2 GHz", "1 GHz"),
        width="w + 60*h",
        height="40*h",
    )
    document["parts"][0] |= {"corner": ["0", "-(w/2 + 35*h)", "0"], "size": ["L", "w + 70*h", "h"]}
    document["parts"][2] |= {"corner": ["0", "-(w/2 + 35*h)", "0"], "size": ["L", "w + 70*h"]}
    compared(
        f"microstrip w/h {ratio}, ε {epsilon}",
        looked_at(document, 0.25e9, epsilon == 2.2),
        float(np.sqrt(effective)),
        ohms,
    )


@pytest.mark.parametrize("ratio", [0.1, 0.3, 1.0, 3.0])
def test_striplines(ratio: float) -> None:
    """Cohn's exact form, η K(k)/4√ε K(k′) with k = sech(πw/2b): Pozar, ch. 3, and Gupta et al.,
    from memory.
    """
    ohms = (
        ETA0
        / 8
        * ellipk(1 / np.cosh(np.pi * ratio / 2) ** 2)
        / ellipk(np.tanh(np.pi * ratio / 2) ** 2)
    )
    compared(
        f"stripline w/b {ratio}",
        looked_at(models.stripline(f"{3 * ratio} mm", "3 mm", "4"), 1.2e9, ratio == 0.3),
        2.0,
        float(ohms),
    )


@pytest.mark.parametrize(
    ("width", "thick"),
    [
        (3.0, 0.03),
        (3.0, 0.09),
        (3.0, 0.6),
        (1.0, 0.03),
        (1.0, 0.1),
        (1.0, 0.2),
        (1.0, 0.4),
        (0.3, 0.05),
        (0.3, 0.1),
    ],
)
def test_striplines_of_some_thickness(width: float, thick: float) -> None:
    """Wheeler's formula (IEEE Trans. MTT 26, 1978; Gupta et al., *Microstrip Lines and Slotlines*,
    from memory), said to be good to 0.5 %.
    """
    b, epsilon = 3.0, 2.2
    x, m = thick / b, 2 / (1 + 2 / 3 * thick / b / (1 - thick / b))
    wider = (
        x
        / (np.pi * (1 - x))
        * (1 - 0.5 * np.log((x / (2 - x)) ** 2 + (0.0796 * x / (width / b + 1.1 * x)) ** m))
    )
    r = 8 / np.pi / (width / (b - thick) + wider)
    ohms = 30 / np.sqrt(epsilon) * np.log(1 + r / 2 * (r + np.sqrt(r**2 + 6.27)))
    document = models.stripline(f"{width} mm", f"{b} mm", str(epsilon))
    strip = next(n for n, p in enumerate(document["parts"]) if p["name"] == "strip")
    document["parts"][strip] = {
        "kind": "box",
        "name": "strip",
        "corner": ["0", "-w/2", f"h - {thick / 2} mm"],
        "size": ["L", "w", f"{thick} mm"],
        "material": "perfect conductor",
    }
    compared(
        f"stripline {width} × {thick} mm",
        looked_at(document, 1.2e9, width == 1.0),
        float(np.sqrt(epsilon)),
        float(ohms),
        FORMULA + WITHIN,
    )


@pytest.mark.parametrize(("strip", "slot"), [(3.0, 0.3), (1.0, 1.0), (1.0, 0.1), (0.3, 3.0)])
def test_coplanar_lines(strip: float, slot: float) -> None:
    """In air between grounds without end: η K(k′)/4 K(k), k = s/(s + 2w) (Wen, 1969)."""
    k2 = (strip / (strip + 2 * slot)) ** 2
    compared(
        f"coplanar line {strip} and {slot} mm",
        looked_at(models.coplanar(f"{strip} mm", f"{slot} mm"), 1.2e9, True),
        1.0,
        float(ETA0 / 4 * ellipk(1 - k2) / ellipk(k2)),
    )


@pytest.mark.parametrize("inner", [0.1, 0.3, 1.0, 2.5])
@pytest.mark.parametrize("epsilon", [1.0, 4.0])
def test_coaxial_lines(inner: float, epsilon: float) -> None:
    """η ln(b/a)/2π√ε: Pozar, ch. 2."""
    document = models.coaxial(f"{inner} mm", "3 mm")
    document["materials"] = [{"kind": "dielectric", "name": "fill", "permittivity": str(epsilon)}]
    document["parts"].append(
        {
            "kind": "cylinder",
            "name": "filling",
            "centre": ["0", "0", "0"],
            "radius": "3 mm",
            "inner": f"{inner} mm",
            "height": "L",
            "material": "fill",
        }
    )
    compared(
        f"coaxial line {inner} in 3 mm, ε {epsilon}",
        looked_at(document, 6e9, epsilon == 4.0),
        float(np.sqrt(epsilon)),
        float(ETA0 / (2 * np.pi * np.sqrt(epsilon)) * np.log(3 / inner)),
    )


def test_half_a_line_beside_a_mirror_plane_has_the_impedance_of_the_whole() -> None:
    """A magnetic plane along the middle of a strip takes half of its current; along a coaxial line
    two take three quarters.
    """
    for document, planes in (
        (models.coplanar("1 mm", "1 mm"), ["none", "PMC", "none"]),
        (models.coaxial("1 mm", "3 mm"), ["PMC", "PMC", "none"]),
    ):
        whole = looked_at(document, 3e9)
        document["surround"]["mirror"] = planes
        part = looked_at(document, 3e9)
        print(
            f"whole {whole.impedance[0, 0].real:.2f} Ω, between mirror planes"
            f" {part.impedance[0, 0].real:.2f} Ω"
        )
        assert part.kinds == whole.kinds == ["TEM"]
        assert part.impedance[:, 0].real == pytest.approx(whole.impedance[:, 0].real, rel=5e-3)
        assert part.index[:, 0].real == pytest.approx(whole.index[:, 0].real, abs=5e-3)


def test_too_few_cells_are_told_with_what_they_do_and_a_repair() -> None:
    """Fewer by hand: the impedance is off by no more than is said."""
    document = models.coplanar("1 mm", "0.1 mm")
    document["plan"]["cells_per_detail"] = "0.5"
    examination = models.examined(document)
    told = [p for p in examination.problems if p.code == "few-cells"]
    assert told, [p.message for p in examination.problems]
    assert "strip" in told[0].message
    assert told[0].repair == [
        {"path": ["plans", 0, "settings", "transient", "cells_per_detail"], "value": "2.5"}
    ]
    said = float(told[0].message.split(" may be ")[1].split(" %")[0]) / 100
    k2 = (1 / 1.2) ** 2
    off = abs(
        study(examination.discretisation.structure, examination.model, 0, 1, 1.2e9, points=3)
        .impedance[0, 0]
        .real
        / (ETA0 / 4 * ellipk(1 - k2) / ellipk(k2))
        - 1
    )
    print(f"coplanar line with half a cell per detail: Z0 {off:.1%} off, said up to {said:.0%}")
    assert WITHIN < off < said
