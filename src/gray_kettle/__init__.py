"""Gray Kettle: who and what is on the air, what to change, and proof that it helped."""

__version__ = "0.3.0"
