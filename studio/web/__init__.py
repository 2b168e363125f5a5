"""What the answers of all apps share: raw arrays, files in parts, refusals in words, whether one is still wanted."""
