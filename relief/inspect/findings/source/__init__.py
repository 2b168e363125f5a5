"""In how the ground's picture is read."""
