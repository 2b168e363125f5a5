"""What is posted to the bench, and the revisions that it makes."""
