"""Grids of one passage of a blade row: plane grids round the blade, stacked over the span."""
