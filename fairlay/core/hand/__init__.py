"""A piece in the hand: where it can go, why it cannot, and what hands do with it."""

from fairlay.core.hand.open_ground import HandTable

__all__ = ["HandTable"]
