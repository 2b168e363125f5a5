"""What is done to the studio to see what holds: load, and what nobody would send."""
