"""The window: Qt 6 Widgets, one folder per surface. No arithmetic on pixels happens here."""
