"""Open formats in and out: Touchstone, CSV, NetCDF, JSON."""
