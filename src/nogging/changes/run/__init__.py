"""What happens, in order, and how it ends: steps, probes, settling, backing out."""
