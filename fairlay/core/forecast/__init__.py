"""What to buy and what an article costs, by laying orders on many made-up hides.

A forecast says how often what it advises is enough; that figure is held to account in ``bench/``.
"""
