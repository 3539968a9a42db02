"""Long work: a queue kept in the same MariaDB, and the workers at it."""
