"""The slim list of frames and sets at the left."""
