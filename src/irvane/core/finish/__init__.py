"""Station Finish: writing what was made."""
