"""Tables and repositories: what the workshop knows, kept in MariaDB."""
