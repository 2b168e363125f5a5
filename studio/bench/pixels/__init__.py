"""What the stage is sent: raw arrays and small pictures."""
