"""What treatments, layers and maps all do to samples."""
