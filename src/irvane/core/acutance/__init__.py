"""Station Acutance: sharpness."""
