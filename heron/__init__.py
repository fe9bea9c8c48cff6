"""Odd Heron's computation core: no Django, no HTTP, no interface.

Packages from the bottom up; each imports only from those before it: errors, quantities, materials,
model, geometry, discretise, networks, engines, results, checks, formats, cli.
"""

__version__ = "0.1.0"
