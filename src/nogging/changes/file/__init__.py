"""What a change declares: the file, its intents, its templates."""
