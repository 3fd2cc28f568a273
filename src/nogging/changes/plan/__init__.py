"""What a change means for each device: its configuration as it is and as it would be, lines and what undoes them."""
