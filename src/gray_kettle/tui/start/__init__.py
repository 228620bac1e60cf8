"""The first steps: a case, files, which networks are ours."""
