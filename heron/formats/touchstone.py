"""Touchstone 1.1 (IBIS Open Forum, 2002) through scikit-rf."""

from __future__ import annotations

import numpy as np
import xarray as xr

from heron.results.ports import scattering
from heron.results.rounds import errors_in


def touchstone(results: xr.Dataset) -> str:
    """The S-matrix as Touchstone text.

    Version 1.1 knows one reference impedance, so all ports are renormalised to the first's.
    """
    import skrf  # heavy; only exports need it

    z0 = results["z0"].values
    one = np.full_like(z0, z0[0])
    s = scattering(results, None if (z0 == z0[0]).all() else one)
    network = skrf.Network(
        f=results["frequency"].values, f_unit="Hz", s=s, z0=float(z0[0]), name="odd-heron"
    )
    known = errors_in(results).get("s", {})
    network.comments = (
        f" estimated error of S: {known['value']:.2g}, by {known['basis']}"
        if known.get("value") is not None
        else " error of S: not known"
    )
    return str(
        network.write_touchstone(
            "ports",
            return_string=True,
            form="ri",
            format_spec_A="{:.12g}",
            format_spec_B="{:.12g}",
            format_spec_freq="{:.12g}",
        )
    )
