"""What carries a relief: a shape, how the relief is laid on it, and its regions."""
