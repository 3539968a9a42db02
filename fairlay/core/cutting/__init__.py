"""From a fair lay to pieces on the bench: which cuts there are, in which order, with which tool, and where
each piece is put on the leather.
"""
