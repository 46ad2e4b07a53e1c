"""Station Light: brightness from the deepest shadow to the brightest light."""
