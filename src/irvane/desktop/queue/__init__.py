"""Writing many files while editing goes on: the queue and its destinations."""
