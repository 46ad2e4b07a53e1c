"""The processing line: sources in, developed pictures, views and finished pictures out."""
