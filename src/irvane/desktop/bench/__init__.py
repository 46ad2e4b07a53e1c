"""The comparing surface: panes, what they show, their captions."""
