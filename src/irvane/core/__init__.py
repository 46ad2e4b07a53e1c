"""The whole job without a window: files in, pictures and figures out."""
