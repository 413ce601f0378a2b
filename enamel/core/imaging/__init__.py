"""Pictures: samples in files, colour, reducing and softening, to the same bits in any window."""
