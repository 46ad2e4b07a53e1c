"""What the line made of kept frames, and the check that it still makes the same."""
