"""The JSON answers, one file for each: names and shapes are a contract, documented in docs/formats.md."""
