"""Touchstone 1.1 (IBIS Open Forum, 2002) through scikit-rf."""

from __future__ import annotations

from typing import Any


def touchstone(frequency: Any, s: Any, z0: float, comment: str) -> str:
    """S (f, P, P) over frequencies (f,) in Hz as text.

    :param z0: Ω, of all ports, as version 1.1 knows one reference impedance only.
    """
    import skrf  # heavy; only exports need it

    network = skrf.Network(f=frequency, f_unit="Hz", s=s, z0=z0, name="odd-heron")
    network.comments = comment
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
