"""The files that a mesh is written as, each format in a file of its own that is named by its ending."""
