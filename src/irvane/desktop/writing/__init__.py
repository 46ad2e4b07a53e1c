"""Writing files: where to, progress, cancel."""
