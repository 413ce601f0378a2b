"""The workspace of a piece: the picture, its section, and a panel for each task. Other apps register the
panels.
"""
