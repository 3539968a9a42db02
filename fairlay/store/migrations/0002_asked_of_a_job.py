"""What a laying was asked besides time and seed: hides to lay again, pieces pinned."""

from peewee import Database

atomic = False


def up(migrator: object, db: Database) -> None:
    db.execute_sql("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS asked JSON NOT NULL DEFAULT '{}'")  # type: ignore[no-untyped-call]  # peewee types only part of itself
