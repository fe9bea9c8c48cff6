"""Exact shapes: solids and sheets as boundary representations, through the Open CASCADE kernel."""
