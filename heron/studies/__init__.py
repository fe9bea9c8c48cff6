"""Studies: many variants of one model, whose outcomes are read as curves, maps and numbers.

Kinds are files of this package (sweep, tune, tolerance, sensitivity, rescale). They say which
variants and what next, not where those are solved.
"""
