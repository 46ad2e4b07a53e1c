"""The simulated camera and the scenes it photographs."""
