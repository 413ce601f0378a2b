"""The finish: what is done to a layer after its coats. Windows have the whole's pixels bit for bit."""
