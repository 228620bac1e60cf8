"""Sources that are collected from as it happens, for as long as the person wants; each is named by a URI."""
