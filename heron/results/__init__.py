"""Everything derived from a result dataset: pure functions of it, in SI units."""
