"""Numbers into the stores that people have; which numbers, follows from the natures of the fields."""
