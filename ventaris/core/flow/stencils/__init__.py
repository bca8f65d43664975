"""Which cells a gradient is read from: in the plane and in space."""
