"""Reading and writing files: the only place in the core that touches the disk."""
