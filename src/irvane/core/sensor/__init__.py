"""Station Sensor: from raw counts to linear colour."""
