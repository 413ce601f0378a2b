"""Detect faces: a compact convolutional detector over a pyramid of scales."""
