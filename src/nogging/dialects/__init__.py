"""What devices speak: how a session with them goes, how they name things, and the notation in which that is written."""
