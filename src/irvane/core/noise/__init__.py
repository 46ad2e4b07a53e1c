"""Station Noise: measuring, removing and mixing noise."""
