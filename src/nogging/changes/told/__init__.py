"""How it is told: at the terminal, on the page, in the ticket."""
