"""Pixels and where they are: parts of a frame, parts of the output, and the map between the two. The types
cannot be mixed."""
