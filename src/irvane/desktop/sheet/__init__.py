"""The contact sheet: all open frames at once, to sort, mark and choose from."""
