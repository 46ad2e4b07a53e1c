"""Judging: figures read from full-resolution pixels, histograms, matching."""
