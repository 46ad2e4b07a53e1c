"""Choosing what of the corrected picture is shown: crop, turn, lines drawn along what should be level."""
