"""Which Nogging this is."""

VERSION = "0.1.0"
