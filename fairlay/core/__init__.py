"""The trade itself: pure computation, without web, database, clock or files."""
