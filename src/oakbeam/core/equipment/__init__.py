"""A room and what it can give: generator, tube, grids, receptors, AEC, calibration."""
