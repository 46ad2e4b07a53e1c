"""Regions: parts of a picture with settings of their own."""
