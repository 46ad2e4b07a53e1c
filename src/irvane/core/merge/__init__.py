"""Merging frames of one scene: alignment, high dynamic range, exposure fusion."""
