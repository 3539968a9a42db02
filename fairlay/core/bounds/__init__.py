"""What is proved of a job before or beside its lays; Each module answers one question, said at
its head. Everything here reads jobs, hides, pieces and rules, and nothing of the search.
"""
