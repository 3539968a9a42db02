"""Practice: hides to look over, marks to judge, sets to lay, lays with a fault; scored by what mistakes
cost.
"""
