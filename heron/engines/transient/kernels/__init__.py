"""The leapfrog on a nonuniform Yee grid, compiled.

Fields are arrays (3, nx + 1, ny + 1, nk) of float32, rows padded before their first node and after
their last; ``size`` floats lead from one component to the next, which each follow an empty slab,
and one more is at the end. E[c, i, j, k] lies at node (i, j, k) moved half a cell along its own
direction, H[c, i, j, k] half a cell along the two others (Yee 1966; Taflove and Hagness,
*Computational Electrodynamics*, ch. 3). A slab is all of one i, a row all of one (i, j); ``wide``
is the number of rows, ny of those in a slab. Coefficients go by rows: ``rows[c, i, j]`` names one
of a few distinct rows of a table, which stay in cache (see performance.md). A zero row is a perfect
conductor or lies outside.
"""

from heron.engines.transient.kernels.march import energy, march
from heron.engines.transient.kernels.tables import STRIP

__all__ = ["STRIP", "energy", "march"]
