"""Station Lens: errors of the optics."""
