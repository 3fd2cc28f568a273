"""What an assistant may ask: captures, read-only, by the Model Context Protocol."""
