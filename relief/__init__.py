"""The computation of Zealous Gravel: pictures and noise into height, maps and displaced meshes. No web in here."""
