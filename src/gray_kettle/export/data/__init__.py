"""Data in open formats: tables of answers and of records, and whole cases that can be read back."""
