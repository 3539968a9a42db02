"""What closed hides teach: where their leather went, what stands out, what estimates learn.

Frozen facts go in, figures with their spread come out; nothing here changes a fact.
"""
