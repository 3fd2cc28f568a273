"""What is asked before anything is judged: what is there, what is odd, in what do devices differ."""
