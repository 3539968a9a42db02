"""How long the Book's pages take."""


def print_book() -> None:
    """Print it."""
