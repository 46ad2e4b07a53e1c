"""Station Colour: from camera colours to the colours of a picture."""
