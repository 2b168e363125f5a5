"""What fills the pages of the bench."""
