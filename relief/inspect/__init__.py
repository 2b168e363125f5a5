"""Looking on: readings, findings, the section, and the suggested start."""
